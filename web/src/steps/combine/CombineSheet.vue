<script setup lang="ts">
import { computed } from 'vue'
import type { Method } from '../../api/types'
import PlanSlider from '../../ui/PlanSlider.vue'
import Segmented from '../../ui/Segmented.vue'
import Toggle from '../../ui/Toggle.vue'
import { methodNames, percent } from '../../domain/units'
import { useShoot } from '../../state/shoot'
import { useView } from '../../state/view'
import EdgesChoice from './EdgesChoice.vue'
import FramesEnough from './FramesEnough.vue'
import LeftOut from './LeftOut.vue'
import ResultList from './ResultList.vue'
import WholeFigures from './WholeFigures.vue'
import { stageOf } from '../../domain/stages'

const store = useShoot()
const view = useView()
const methods = Object.keys(methodNames) as Method[]
const points = computed(() => stageOf(store.shown?.report, 'combine')?.noise_by_frames ?? [])

const method = computed<Method>({
  get: () => store.shoot!.plan.combine.method,
  set: (method) => void store.setPlan((plan) => (plan.combine.method = method)),
})
const level = computed<boolean>({
  get: () => store.shoot!.plan.combine.level,
  set: (level) => void store.setPlan((plan) => (plan.combine.level = level)),
})
const weigh = computed<boolean>({
  get: () => store.shoot!.plan.combine.weigh,
  set: (weigh) => void store.setPlan((plan) => (plan.combine.weigh = weigh)),
})
const fillGaps = computed<boolean>({
  get: () => store.shoot!.plan.combine.fill_gaps,
  set: (fill) => void store.setPlan((plan) => (plan.combine.fill_gaps = fill)),
})
const averages = computed(() => ['mean', 'clipped'].includes(method.value))

const hints: Record<Method, string> = {
  mean: 'The average: least noise. Aircraft and satellites stay as faint traces.',
  median: 'The middle value: traces of single frames go, a little more noise stays.',
  clipped: 'The average without what lies far off: traces go, and noise is as low as the mean’s.',
  lightest: 'The lightest sample: stars draw their trails.',
  darkest: 'The darkest sample: flakes, sparks and lights that move go.',
  spread: 'How much the frames differ: shows what moved. For looking, not for keeping.',
}

/** Maps that were made with the result on show. */
const maps = computed(() => {
  const plan = store.shown?.plan.combine
  return [
    { value: 'none' as const, text: 'Nothing' },
    ...(plan?.method === 'clipped' ? [{ value: 'rejected' as const, text: 'Rejected' }] : []),
    ...(plan?.edges === 'keep' ? [{ value: 'coverage' as const, text: 'Coverage' }] : []),
  ]
})
const overlay = computed({
  get: () => (maps.value.some((m) => m.value === view.overlay) ? view.overlay : 'none'),
  set: (overlay) => (view.overlay = overlay),
})
const rejected = computed(() => {
  const frames = store.shown?.report.frames.filter((f) => f.rejected !== null) ?? []
  return [...frames].sort((p, q) => q.rejected! - p.rejected!).slice(0, 3)
})
</script>

<template>
  <h2 class="text-title font-semibold">Combine</h2>
  <p class="mb-3 text-dim">{{ store.used.length }} frames become one.</p>
  <Segmented
    v-model="method"
    label="Method"
    :columns="3"
    :options="
      methods.map((m) => ({
        value: m,
        text: methodNames[m][0]!.toUpperCase() + methodNames[m].slice(1),
      }))
    "
  />
  <p class="py-2.5 text-dim">{{ hints[method] }}</p>
  <PlanSlider
    v-if="method === 'clipped'"
    label="Reject beyond"
    unit=" σ"
    hint="Values that lie farther from the others than this many times their scatter are left out"
    :min="1.5"
    :max="5"
    :step="0.1"
    :digits="1"
    :value="store.shoot!.plan.combine.clip"
    :usual="2.8"
    test="clip"
    :set="(plan, sigma) => (plan.combine.clip = sigma)"
  />
  <Toggle
    v-model="level"
    label="Level brightness first"
    hint="Brings frames of another exposure or sky brightness to the reference frame’s"
    test="level"
  />
  <Toggle
    v-if="method === 'lightest' && store.shoot!.plan.align.mode === 'none'"
    v-model="fillGaps"
    label="Fill gaps between exposures"
    hint="Stars are moved on along the sky’s motion to where the next exposure begins"
    test="fill-gaps"
  />
  <Toggle
    v-if="averages"
    v-model="weigh"
    label="Weigh by noise and sharpness"
    hint="Less noisy frames with narrower stars count more"
    test="weigh"
  />
  <EdgesChoice />
  <WholeFigures />
  <LeftOut />
  <ResultList />
  <div v-if="points.length > 2" class="section">
    <h3>How many frames are enough</h3>
    <FramesEnough :points="points" />
  </div>
  <div v-if="maps.length > 1" class="section">
    <h3>Overlay</h3>
    <Segmented v-model="overlay" label="Overlay" :options="maps" />
    <table v-if="rejected.length" class="mt-2 w-full text-small" data-test="rejected">
      <tbody>
        <tr v-for="frame in rejected" :key="frame.file">
          <td class="num">{{ frame.file }}</td>
          <td class="num text-right text-dim">{{ percent(frame.rejected!) }} rejected</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
