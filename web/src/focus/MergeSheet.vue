<script setup lang="ts">
import { computed } from 'vue'
import type { Edges, Way } from '../api/types'
import LeftOut from '../combine/LeftOut.vue'
import ResultList from '../combine/ResultList.vue'
import Segmented from '../parts/Segmented.vue'
import { whole } from '../parts/units'
import { useShoot } from '../shoot/store'
import { useView } from '../viewer/view'
import SweepPlot from './SweepPlot.vue'

const store = useShoot()
const view = useView()

const way = computed<Way>({
  get: () => store.shoot!.plan.focus.way,
  set: (way) => void store.setPlan((plan) => (plan.focus.way = way)),
})
const edges = computed<Edges>({
  get: () => store.shoot!.plan.combine.edges,
  set: (edges) => void store.setPlan((plan) => (plan.combine.edges = edges)),
})
const overlay = computed({
  get: () => (view.overlay === 'depth' ? 'depth' : 'none'),
  set: (overlay) => (view.overlay = overlay),
})
const hints: Record<Way, string> = {
  fine: 'Hairs and bristles cross what is behind them: each scale of detail comes from where it is sharp.',
  smooth: 'Surfaces without fine edges: each place comes as a whole from its sharpest frames.',
}
const found = computed(() => store.shown?.report.focus)
/** The newest result of the other way, to be compared with. */
const other = computed(() =>
  store.results.find((r) => r.plan.focus.way !== store.shown?.plan.focus.way && r.report.focus),
)
</script>

<template>
  <h2 class="text-[15px] font-semibold">Combine</h2>
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
  <div class="flex items-center gap-3 py-1.5">
    <span class="text-dim">Edges</span>
    <Segmented
      v-model="edges"
      label="Edges"
      class="flex-1"
      :options="[
        { value: 'trim', text: 'Trim', hint: 'Cut to what every frame covers.' },
        {
          value: 'fill',
          text: 'Fill',
          hint: 'The middle frame’s size; frames go on beyond their edge.',
        },
      ]"
    />
  </div>
  <div v-if="found" class="section mt-2" data-test="sweep">
    <h3>Where each frame is sharp</h3>
    <SweepPlot :report="found" />
    <p v-for="doubt in found.doubts" :key="doubt" class="mt-2 text-amber">{{ doubt }}</p>
    <p class="mt-2 flex justify-between text-dim" data-test="sweep-told">
      <span>Told to be sharp in a frame</span
      ><span class="num text-ink">{{ whole(found.told) }}</span>
    </p>
    <Segmented
      v-model="overlay"
      label="Overlay"
      class="mt-2"
      :options="[
        { value: 'none', text: 'Picture' },
        { value: 'depth', text: 'Focus map' },
      ]"
    />
    <p v-if="overlay === 'depth'" class="mt-2 text-dim">
      Coloured by the frame that is sharp there, as the bar above; dark where none is told.
    </p>
    <button
      v-if="other"
      class="button mt-3 w-full"
      data-test="other-way"
      @click="store.a = `result-${other.id}`"
    >
      Compare with the other way
    </button>
  </div>
  <LeftOut />
  <ResultList />
</template>
