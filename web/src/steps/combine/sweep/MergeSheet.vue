<script setup lang="ts">
import { computed, inject } from 'vue'
import { lookAt as looking } from '../../../state/look'
import type { MovedPlace, MergeMethod } from '../../../api/types'
import EdgesChoice from '../EdgesChoice.vue'
import LeftOut from '../LeftOut.vue'
import ResultList from '../ResultList.vue'
import Segmented from '../../../ui/Segmented.vue'
import { share, whole } from '../../../domain/units'
import { useShoot } from '../../../state/shoot'
import { idOf, isAbout } from '../../../domain/reports'
import { useView } from '../../../state/view'
import { planes } from './focus'
import PatchTools from './PatchTools.vue'
import { useSweep } from './sweep'
import SweepPlot from './SweepPlot.vue'
import { stageOf } from '../../../domain/stages'
const show = inject(looking)
const store = useShoot()
const sweep = useSweep()
const view = useView()

const way = computed<MergeMethod>({
  get: () => store.shoot!.plan.focus.way,
  set: (way) => void store.setPlan((plan) => (plan.focus.way = way)),
})
const overlay = computed({
  get: () => (['depth', 'certainty'].includes(view.overlay) ? view.overlay : 'none'),
  set: (overlay) => (view.overlay = overlay),
})
const hints: Record<MergeMethod, string> = {
  fine: 'Hairs and bristles cross what is behind them: each scale of detail comes from where it is sharp.',
  smooth: 'Surfaces without fine edges: each place comes as a whole from its sharpest frames.',
}
const merged = computed(() => stageOf(store.shown?.report, 'merge'))
/** Frames that the result was merged of, in order. */
const placed = computed(() => {
  const used = store.shown?.report.frames.filter((frame) => frame.used).map(idOf)
  const all = merged.value ? planes(merged.value) : []
  return merged.value ? all.flatMap(({ id }) => (used?.includes(id) ? [id] : [])) : undefined
})
/** The frames as they are now, or else those that were merged. */
const found = computed(() => sweep.report ?? merged.value)
const finding = computed(() => {
  const now = sweep.finding
  if (!now) return ''
  const stage = now.stage === 'align' ? ': aligning' : now.stage === 'frames' ? ': reading' : ''
  return `Looking the frames over${stage}${now.total > 1 ? ` ${now.done} of ${now.total}` : ''}`
})

/** Shows where something moved in a frame. */
function lookAt(place: MovedPlace) {
  const frame = store.shoot?.frames.find((f) => isAbout(place, f))
  if (!frame) return
  store.a = `frame-${frame.id}`
  view.mode = 'one'
  view.side = 'a'
  show?.(...place.at)
}
/** The newest result of the other way, to be compared with. */
const other = computed(() =>
  store.results.find(
    (r) => r.plan.focus.way !== store.shown?.plan.focus.way && stageOf(r.report, 'merge'),
  ),
)
</script>

<template>
  <h2 class="text-title font-semibold">Combine</h2>
  <p class="mb-3 text-dim">
    {{ store.used.length }} frames of a sweep become one picture, sharp from front to back.
  </p>
  <Segmented
    v-model="way"
    label="Way"
    :options="[
      { value: 'fine', text: 'Fine hair' },
      { value: 'smooth', text: 'Smooth surfaces' },
    ]"
  />
  <p class="py-2.5 text-dim">{{ hints[way] }}</p>
  <EdgesChoice />
  <p v-if="finding" class="mt-2 flex justify-between text-dim" data-test="sweep-finding">
    <span>{{ finding }}</span>
    <button class="underline hover:text-ink" @click="sweep.stop()">Stop</button>
  </p>
  <p v-if="sweep.problem && !sweep.finding" class="mt-2 text-rose" data-test="sweep-problem">
    {{ sweep.problem }}
  </p>
  <div v-if="found" class="section mt-2" data-test="sweep">
    <h3>Where each frame is sharp</h3>
    <SweepPlot :report="found" :merged="placed" />
    <p v-if="merged" class="mt-1 text-small text-faint">
      Point at a frame to see its part of the picture; click to see the frame.
    </p>
    <p v-for="doubt in found.doubts" :key="doubt" class="mt-2 text-amber">{{ doubt }}</p>
    <button
      v-for="place in found.moved"
      :key="idOf(place)"
      class="button mt-2 w-full"
      data-test="look-moved"
      @click="lookAt(place)"
    >
      Look at {{ place.file }}
    </button>
    <p class="mt-2 flex justify-between gap-3 text-dim" data-test="sweep-told">
      <span>Shows detail that a frame has sharp</span
      ><span class="num whitespace-nowrap text-ink">{{ whole(found.known) }}</span>
    </p>
    <p
      v-if="found.between >= 0.001"
      class="flex justify-between text-dim"
      data-test="sweep-between"
    >
      <span>Sharp in no frame</span><span class="num text-ink">{{ share(found.between) }}</span>
    </p>
    <template v-if="merged">
      <Segmented
        v-model="overlay"
        label="Overlay"
        class="mt-2"
        :options="[
          { value: 'none', text: 'Picture' },
          { value: 'depth', text: 'Depth map' },
          { value: 'certainty', text: 'Certainty' },
        ]"
      />
      <p v-if="overlay === 'depth'" class="mt-2 text-dim">
        Coloured by the frame that is sharp there, as the bar above; dark where nothing tells:
        smooth, or sharp in no frame.
      </p>
      <p v-if="overlay === 'certainty'" class="mt-2 text-dim">
        Veiled where it is not certain which frame is sharp, as on smooth surfaces; rose where a
        plane is missing, so that no frame is sharp.
      </p>
      <button
        v-if="other"
        class="button mt-3 w-full"
        data-test="other-way"
        @click="store.a = `result-${other.id}`"
      >
        Compare with the other way
      </button>
    </template>
  </div>
  <PatchTools v-if="merged" />
  <LeftOut />
  <ResultList />
</template>
