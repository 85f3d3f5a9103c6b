<script setup lang="ts">
// What combining gained in the whole picture.
import { computed } from 'vue'
import { isReference } from '../../domain/reports'
import { stageOf } from '../../domain/stages'
import { useShoot } from '../../state/shoot'

const store = useShoot()
const noise = computed(() => stageOf(store.shown?.report, 'combine')?.noise)
const width = computed(() => {
  const report = store.shown?.report
  const single = report?.frames.find((f) => isReference(f, report))?.star_width_px
  const combined = stageOf(report, 'combine')?.star_width_px
  return combined && single ? [single, combined] : null
})
const times = (gain: number) => `${gain.toFixed(2)}×`
</script>

<template>
  <dl
    v-if="noise || width"
    class="mt-2 mb-1 rounded-lg bg-sheet px-3 py-2 text-small"
    data-test="whole"
  >
    <div
      v-if="noise"
      class="flex justify-between gap-2"
      title="Middle of many plain patches. Above the expected: resampling softens the finest grain a little."
    >
      <dt class="text-dim">Noise reduced</dt>
      <dd class="num" :class="noise.gain >= 1 ? 'text-jade' : 'text-amber'">
        {{ times(noise.gain) }}
      </dd>
    </div>
    <div v-if="noise" class="flex justify-between gap-2">
      <dt class="text-dim">Expected (√N)</dt>
      <dd class="num">{{ times(noise.ideal_gain) }}</dd>
    </div>
    <div v-if="width" class="flex justify-between gap-2">
      <dt class="text-dim">Star width</dt>
      <dd class="num">{{ width[0]!.toFixed(2) }} → {{ width[1]!.toFixed(2) }} px</dd>
    </div>
  </dl>
</template>
