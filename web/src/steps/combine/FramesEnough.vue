<script setup lang="ts">
// How much noise is left with how many frames: what averaging leads to expect, and what was measured.
import { computed } from 'vue'
import type { NoisePoint } from '../../api/types'

const props = defineProps<{ points: NoisePoint[] }>()

const WIDE = 240
const TALL = 92
const LEFT = 4
const most = computed(() => props.points.at(-1)?.frames ?? 1)
const last = computed(() => props.points.at(-1))
const single = computed(() => props.points[0]?.noise ?? 1)
/** Twice as many frames as there are, so that what more would bring is seen. */
const reach = computed(() => most.value * 2)

const told = ({ frames, noise }: NoisePoint) =>
  `${frames} frames: noise ÷ ${(single.value / noise).toFixed(2)}`
const x = (frames: number) => LEFT + ((frames - 1) / (reach.value - 1)) * (WIDE - LEFT - 6)
const y = (noise: number) => 8 + (1 - noise / single.value) * (TALL - 16)

const curve = computed(() => {
  const scale = last.value ? last.value.expected * Math.sqrt(last.value.frames) : single.value
  return Array.from({ length: reach.value }, (_, i) => i + 1)
    .map((n) => `${x(n).toFixed(1)},${y(Math.min(single.value, scale / Math.sqrt(n))).toFixed(1)}`)
    .join(' ')
})
const gain = (n: number) => {
  const point = last.value
  return point ? (single.value / point.noise) * Math.sqrt(n / point.frames) : 1
}
</script>

<template>
  <figure data-test="frames-enough">
    <svg
      :viewBox="`0 0 ${WIDE} ${TALL}`"
      class="w-full"
      role="img"
      :aria-label="`Noise by number of frames: ${points.map(told).join('; ')}`"
    >
      <path :d="`M${LEFT} 4 V${TALL - 6} H${WIDE}`" fill="none" stroke="#383735" />
      <polyline :points="curve" fill="none" stroke="#5cc8a1" stroke-width="1.5" />
      <circle
        v-for="point in points"
        :key="point.frames"
        :cx="x(point.frames)"
        :cy="y(point.noise)"
        r="2.6"
        fill="#e7e6e2"
      >
        <title>{{ told(point) }}</title>
      </circle>
    </svg>
    <figcaption class="mt-1 text-small text-dim">
      <span class="flex justify-between"
        ><span>{{ most }} frames, measured</span
        ><span class="num text-ink">noise ÷ {{ (single / last!.noise).toFixed(1) }}</span></span
      >
      <span class="flex justify-between"
        ><span>{{ reach }} frames would give</span
        ><span class="num">÷ {{ gain(reach).toFixed(1) }}</span></span
      >
    </figcaption>
  </figure>
</template>
