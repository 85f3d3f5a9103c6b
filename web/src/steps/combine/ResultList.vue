<script setup lang="ts">
import type { ShootResult } from '../../api/types'
import { resultHint } from '../finish/finish'
import { ago, resultName, noiseRatio } from '../../domain/units'
import { useShoot } from '../../state/shoot'
import { stageOf } from '../../domain/stages'

const store = useShoot()

function show(result: ShootResult) {
  store.a = `frame-${result.reference_id}`
  store.b = `result-${result.id}`
}
function noiseOf(result: ShootResult) {
  return stageOf(result.report, 'combine')?.noise
}
function seconds(result: ShootResult) {
  return result.report.stages.reduce((sum, s) => sum + (s.seconds ?? 0), 0)
}
</script>

<template>
  <div class="section mt-2">
    <h3>Results</h3>
    <p v-if="!store.results.length" class="text-dim">None yet. Press Run; every result is kept.</p>
    <ul class="flex flex-col gap-1.5" data-test="results">
      <li v-for="result in store.results" :key="result.id">
        <button
          class="w-full rounded-lg border px-3 py-2 text-left"
          :class="store.shown?.id === result.id ? 'border-jade bg-jade-deep' : 'border-edge'"
          :aria-pressed="store.shown?.id === result.id"
          @click="show(result)"
        >
          <span class="flex justify-between">
            <b class="inline-block font-semibold first-letter:uppercase">{{
              resultName(result)
            }}</b>
            <span
              v-if="noiseOf(result)"
              class="num whitespace-nowrap"
              :class="noiseOf(result)!.gain >= 1 ? 'text-jade' : 'text-amber'"
              >{{ noiseRatio(noiseOf(result)!.gain, 2) }}</span
            >
          </span>
          <span class="flex justify-between text-small text-dim">
            <span>{{ resultHint(result) }}</span>
            <span class="num"
              >{{ seconds(result).toFixed(1) }} s · {{ ago(result.made, Date.now()) }}</span
            >
          </span>
        </button>
      </li>
    </ul>
  </div>
</template>
