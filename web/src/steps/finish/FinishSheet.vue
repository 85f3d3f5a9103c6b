<script setup lang="ts">
import { computed } from 'vue'
import { inPercent, whole } from '../../domain/units'
import PlanSlider from '../../ui/PlanSlider.vue'
import { useShoot } from '../../state/shoot'
import { unfinished } from './finish'
import { stageOf } from '../../domain/stages'

const store = useShoot()
const finish = computed(() => store.shoot!.plan.finish)
const found = computed(() => stageOf(store.shown?.report, 'finish'))
const hasSkyline = computed(() => store.shoot!.plan.skyline.mode !== 'none')
const before = computed(() => store.shown && unfinished(store.shown, store.results))
/** Whether the picture on show was finished otherwise. */
const changed = computed(
  () =>
    store.shown &&
    JSON.stringify(store.shown.plan.finish) !== JSON.stringify(store.shoot!.plan.finish),
)
</script>

<template>
  <h2 class="text-title font-semibold">Finish</h2>
  <p class="mb-3 text-dim" data-test="finish-limit">
    {{
      hasSkyline
        ? 'On the sky alone: the ground stays as it is, along the skyline too.'
        : 'On the whole picture, as no skyline parts the sky from ground. If it shows ground, find the skyline first.'
    }}
  </p>
  <PlanSlider
    label="Reduce sky glow"
    unit=" %"
    hint="How much of the sky’s uneven brightness is taken off, down to where the sky is darkest"
    :min="0"
    :max="100"
    :step="5"
    :value="inPercent(finish.glow)"
    test="glow"
    :set="(plan, glow) => (plan.finish.glow = glow / 100)"
  />
  <PlanSlider
    label="Sky smoothing"
    unit=" %"
    hint="How much of the noise between the stars is smoothed; stars stay as they are"
    :min="0"
    :max="100"
    :step="5"
    :value="inPercent(finish.smoothing)"
    test="smoothing"
    :set="(plan, smoothing) => (plan.finish.smoothing = smoothing / 100)"
  />
  <p v-if="changed" class="text-amber" data-test="finish-changed">
    Press Run to see it. What was combined is kept, so that takes seconds.
  </p>
  <div v-if="found" class="section mt-3" data-test="finish-found">
    <h3>In the result on show</h3>
    <dl class="grid grid-cols-[1fr_auto] gap-y-1">
      <template v-if="found.uneven">
        <dt
          class="text-dim"
          title="How far the light of its parts differs, as a share of the middle"
        >
          Sky uneven by
        </dt>
        <dd class="num text-right">{{ whole(found.uneven[0]) }} → {{ whole(found.uneven[1]) }}</dd>
      </template>
      <template v-if="found.noise">
        <dt class="text-dim">Sky noise reduced</dt>
        <dd class="num text-right">{{ (found.noise[0] / found.noise[1]).toFixed(1) }}×</dd>
      </template>
    </dl>
    <button
      v-if="before"
      class="button mt-3 w-full"
      data-test="against-unfinished"
      @click="store.a = `result-${before.id}`"
    >
      Compare with it unfinished
    </button>
  </div>
</template>
