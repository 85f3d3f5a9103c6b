<script setup lang="ts">
import { computed } from 'vue'
import type { AlignMode } from '../api/types'
import Segmented from '../parts/Segmented.vue'
import { useShoot } from '../shoot/store'

const store = useShoot()

const mode = computed<AlignMode>({
  get: () => store.shoot!.plan.align.mode,
  set: (mode) => void store.setPlan((plan) => (plan.align.mode = mode)),
})

const report = computed(() => store.shown?.report)
const byStars = computed(() => store.shown?.plan.align.mode === 'stars')

/** Angle of view across the picture's width, from the focal length that was found. */
const lens = computed(() => {
  const found = report.value?.lens
  if (!found) return null
  const across = 2 * Math.atan((found.centre[0] + 0.5) / found.focal_px)
  return `${((across * 180) / Math.PI).toFixed(0)}° across, ${(found.k1 * 100).toFixed(1)} % bend`
})

function shift(grid: [number, number, number, number][]): number {
  return Math.max(0, ...grid.map(([x, y, toX, toY]) => Math.hypot(toX - x, toY - y)))
}
</script>

<template>
  <h2 class="text-[15px] font-semibold">Align</h2>
  <p class="mb-3 text-dim">Every frame is brought onto the reference frame.</p>
  <Segmented
    v-model="mode"
    label="Align"
    :options="[
      { value: 'stars', text: 'On the stars', hint: 'While the sky turns' },
      { value: 'none', text: 'Not at all', hint: 'Tripod, still scene' },
    ]"
  />
  <p class="py-2.5 text-dim">
    {{
      mode === 'stars'
        ? 'The sky becomes sharp; what stands on the ground blurs a little.'
        : 'Frames lie on each other as they are.'
    }}
  </p>
  <div class="section">
    <h3>Reference frame</h3>
    <p class="flex justify-between text-dim">
      <span>{{ store.shoot?.reference_id ? 'chosen' : 'the middle one' }}</span>
      <b class="num font-medium text-ink">{{ store.reference?.name ?? 'none' }}</b>
    </p>
  </div>
  <div v-if="report && byStars" class="section">
    <h3>Found in the last result</h3>
    <p v-if="lens" class="flex justify-between text-dim">
      <span>Lens</span><b class="num font-medium text-ink">{{ lens }}</b>
    </p>
    <table class="mt-2 w-full text-[12px]">
      <thead class="text-left text-faint">
        <tr>
          <th class="font-normal">frame</th>
          <th class="text-right font-normal">moved</th>
          <th class="text-right font-normal">matched</th>
          <th class="text-right font-normal">rms</th>
        </tr>
      </thead>
      <tbody class="num">
        <tr v-for="frame in report.frames" :key="frame.file" :class="!frame.used && 'text-amber'">
          <td class="max-w-[90px] truncate" :title="frame.file">{{ frame.file }}</td>
          <template v-if="frame.used">
            <td class="text-right">{{ shift(frame.grid).toFixed(1) }} px</td>
            <td class="text-right">{{ frame.matched }}</td>
            <td class="text-right">
              {{ frame.file === report.reference ? 'ref.' : `${frame.rms_px?.toFixed(2)} px` }}
            </td>
          </template>
          <td v-else colspan="3" class="font-sans whitespace-normal">{{ frame.reason }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
