<script setup lang="ts">
// What came of sky and ground in the result on show.
import { computed } from 'vue'
import { stageOf } from '../../domain/stages'
import { useShoot } from '../../state/shoot'

const store = useShoot()
const report = computed(() => stageOf(store.shown?.report, 'skyline') ?? null)
const skyNoise = computed(() => stageOf(store.shown?.report, 'combine')?.noise)
</script>

<template>
  <section v-if="report" class="section" data-test="skyline-report">
    <h3>In the result</h3>
    <dl class="grid grid-cols-[1fr_auto] gap-x-3 gap-y-1 text-dim">
      <template v-if="skyNoise">
        <dt>Sky noise reduced</dt>
        <dd class="num text-ink">
          {{ skyNoise.gain.toFixed(2) }}× of {{ skyNoise.ideal_gain.toFixed(2) }}×
        </dd>
      </template>
      <template v-if="report.ground_noise">
        <dt>Ground noise reduced</dt>
        <dd class="num text-ink">
          {{ report.ground_noise.gain.toFixed(2) }}× of
          {{ report.ground_noise.ideal_gain.toFixed(2) }}×
        </dd>
      </template>
      <template v-if="report.ground_gain[1] !== 1">
        <dt>Ground made brighter by</dt>
        <dd class="num text-ink">× {{ report.ground_gain[1].toFixed(2) }}</dd>
      </template>
    </dl>
    <p v-for="[name, why] in report.left_out" :key="name" class="text-amber">
      {{ name }} is left out of the ground: {{ why }}
    </p>
  </section>
</template>
