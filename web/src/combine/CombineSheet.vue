<script setup lang="ts">
import { computed } from 'vue'
import type { Edges, Method, ShootResult } from '../api/types'
import Segmented from '../parts/Segmented.vue'
import { ago } from '../parts/units'
import { useShoot } from '../shoot/store'

const store = useShoot()

const method = computed<Method>({
  get: () => store.shoot!.plan.combine.method,
  set: (method) => void store.setPlan((plan) => (plan.combine.method = method)),
})
const edges = computed<Edges>({
  get: () => store.shoot!.plan.combine.edges,
  set: (edges) => void store.setPlan((plan) => (plan.combine.edges = edges)),
})

const hints: Record<Method, string> = {
  mean: 'The average: least noise. Aircraft and satellites stay as faint traces.',
  median: 'The middle value: traces of single frames go, a little more noise stays.',
}
const edgeHints: Record<Edges, string> = {
  trim: 'Cut to what every frame covers.',
  keep: 'The reference frame’s size; edges from fewer frames.',
  fill: 'The reference frame’s size; frames go on beyond their edge.',
}

function used(result: ShootResult) {
  return result.report.frames.filter((f) => f.used).length
}
function show(result: ShootResult) {
  store.a = `frame-${result.reference_id}`
  store.b = `result-${result.id}`
}
function seconds(result: ShootResult) {
  return result.report.stages.reduce((sum, s) => sum + s.seconds, 0)
}
const left = computed(() => store.shown?.report.frames.filter((f) => !f.used) ?? [])
</script>

<template>
  <h2 class="text-[15px] font-semibold">Combine</h2>
  <p class="mb-3 text-dim">{{ store.used.length }} frames become one.</p>
  <Segmented
    v-model="method"
    label="Method"
    :options="[
      { value: 'mean', text: 'Mean' },
      { value: 'median', text: 'Median' },
    ]"
  />
  <p class="py-2.5 text-dim">{{ hints[method] }}</p>
  <div class="section">
    <h3>Edges</h3>
    <Segmented
      v-model="edges"
      label="Edges"
      :options="[
        { value: 'trim', text: 'Trim' },
        { value: 'keep', text: 'Keep' },
        { value: 'fill', text: 'Fill' },
      ]"
    />
    <p class="pt-2 text-dim">{{ edgeHints[edges] }}</p>
  </div>
  <div v-if="left.length" class="section" data-test="left-out">
    <h3 class="text-amber">{{ left.length }} left out of the result</h3>
    <p v-for="frame in left" :key="frame.file" class="mb-1 text-dim">
      <span class="num text-ink">{{ frame.file }}</span> {{ frame.reason }}
    </p>
  </div>
  <div class="section">
    <h3>Results</h3>
    <p v-if="!store.results.length" class="text-dim">None yet. Press Run; every result is kept.</p>
    <ul class="flex flex-col gap-1.5" data-test="results">
      <li v-for="result in store.results" :key="result.id">
        <button
          class="w-full rounded-lg border px-3 py-2 text-left"
          :class="store.shown?.id === result.id ? 'border-jade bg-jade-deep' : 'border-rule'"
          :aria-pressed="store.shown?.id === result.id"
          @click="show(result)"
        >
          <span class="flex justify-between">
            <b class="inline-block font-semibold first-letter:uppercase"
              >{{ result.plan.combine.method }} of {{ used(result) }}</b
            >
            <span v-if="result.report.noise" class="num text-jade"
              >÷ {{ result.report.noise.gain.toFixed(2) }}</span
            >
          </span>
          <span class="flex justify-between text-[12px] text-dim">
            <span>{{ result.plan.align.mode === 'stars' ? 'on the stars' : 'not aligned' }}</span>
            <span class="num"
              >{{ seconds(result).toFixed(1) }} s · {{ ago(result.made, Date.now()) }}</span
            >
          </span>
        </button>
      </li>
    </ul>
  </div>
</template>
