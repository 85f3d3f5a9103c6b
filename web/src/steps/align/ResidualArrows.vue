<script setup lang="ts">
// Where matched places of the chosen frame lie off the reference frame's, magnified.
import { computed } from 'vue'
import { useShoot } from '../../state/shoot'
import { isAbout } from '../../domain/reports'
import type { View } from '../../viewer/pane'
import { magnification } from './residuals'

const props = defineProps<{ place: View }>()
const store = useShoot()

const residuals = computed(() => {
  const one = store.shoot?.frames.find((f) => f.id === store.selected)
  return (one && store.shown?.report.frames.find((told) => isAbout(told, one)))?.residuals ?? []
})
const size = computed(() => magnification(residuals.value))
const arrows = computed(() =>
  residuals.value.map(([x, y, dx, dy]) => {
    const { left, top, scale } = props.place
    const from = { x: left + x * scale, y: top + y * scale }
    return { from, to: { x: from.x + dx * size.value, y: from.y + dy * size.value } }
  }),
)
</script>

<template>
  <template v-if="arrows.length">
    <svg class="pointer-events-none absolute inset-0 z-10 h-full w-full" data-test="arrows">
      <g stroke="#000" stroke-opacity="0.6" stroke-width="4">
        <line
          v-for="({ from, to }, i) in arrows"
          :key="i"
          :x1="from.x"
          :y1="from.y"
          :x2="to.x"
          :y2="to.y"
        />
      </g>
      <g stroke="#e0b057" fill="#e0b057" stroke-width="1.75">
        <template v-for="({ from, to }, i) in arrows" :key="i">
          <line :x1="from.x" :y1="from.y" :x2="to.x" :y2="to.y" />
          <circle :cx="from.x" :cy="from.y" r="2" stroke="none" />
        </template>
      </g>
    </svg>
    <p class="pointer-events-none absolute inset-x-0 top-14 z-10 text-center text-small">
      <span class="rounded-md bg-black/80 px-2.5 py-1"
        >what is left after aligning; this long is 0.1 px:
        <span
          class="mb-0.75 ml-1 inline-block h-0.5 bg-amber"
          :style="{ width: `${0.1 * size}px` }"
        />
      </span>
    </p>
  </template>
</template>
