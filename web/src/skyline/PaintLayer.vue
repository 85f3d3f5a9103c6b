<script setup lang="ts">
// Takes the hand while something is painted, and shows strokes until the mask has them.
import { computed, onMounted, onUnmounted, ref } from 'vue'
import type { Stroke } from '../api/types'
import type { View } from '../viewer/pane'
import { isBrush, useSkyline } from './skyline'
import { pressed, type Point } from './strokes'

const props = defineProps<{ place: View }>()
const emit = defineEmits<{ wheel: [event: WheelEvent] }>()
const skyline = useSkyline()
const layer = ref<HTMLElement>()
const pointer = ref<{ x: number; y: number } | null>(null)
/** The picture is moved rather than painted on while the space bar is held. */
const moving = ref(false)

const active = computed(() => skyline.tool !== null && skyline.info !== null && !moving.value)
const shown = computed(() => [...skyline.pending, ...(skyline.live ? [skyline.live] : [])])

function point(event: PointerEvent): Point {
  const box = layer.value!.getBoundingClientRect()
  const { left, top, scale } = props.place
  return [
    (event.clientX - box.left - left) / scale - 0.5,
    (event.clientY - box.top - top) / scale - 0.5,
    pressed(skyline.radius, event) / scale,
  ]
}

function down(event: PointerEvent) {
  if (event.button !== 0) return
  event.preventDefault()
  layer.value!.setPointerCapture(event.pointerId)
  skyline.begin(point(event))
}

function move(event: PointerEvent) {
  const box = layer.value!.getBoundingClientRect()
  pointer.value = { x: event.clientX - box.left, y: event.clientY - box.top }
  if (!skyline.live) return
  // A pen tells more places than the screen has pictures.
  const all = event.getCoalescedEvents?.() ?? []
  for (const one of all.length ? all : [event]) skyline.move(point(one))
}

function key(event: KeyboardEvent) {
  const busy = event.target instanceof HTMLElement && event.target.closest('input, [role=dialog]')
  if (event.code === 'Space' && skyline.tool && !busy) {
    moving.value = event.type === 'keydown'
    event.preventDefault()
  }
}

function colour(stroke: Stroke) {
  return stroke.paint.startsWith('sky') ? '#7fb4e6' : '#e0b057'
}

function line(stroke: Stroke) {
  const { left, top, scale } = props.place
  const places = stroke.points.map(([x, y]) => [left + (x + 0.5) * scale, top + (y + 0.5) * scale])
  // A dot is a line of no length.
  if (places.length === 1) places.push(places[0]!)
  return places.map((at) => at.join(',')).join(' ')
}

function width(stroke: Stroke) {
  const sum = stroke.points.reduce((sum, point) => sum + point[2], 0)
  return (2 * sum * props.place.scale) / stroke.points.length
}

onMounted(() => {
  window.addEventListener('keydown', key)
  window.addEventListener('keyup', key)
})
onUnmounted(() => {
  window.removeEventListener('keydown', key)
  window.removeEventListener('keyup', key)
})
</script>

<template>
  <svg class="pointer-events-none absolute inset-0 z-10 h-full w-full" aria-hidden="true">
    <polyline
      v-for="(stroke, i) in shown"
      :key="i"
      :points="line(stroke)"
      fill="none"
      :stroke="colour(stroke)"
      :stroke-width="width(stroke)"
      :stroke-opacity="isBrush(stroke.paint) ? 0.35 : 0.55"
      stroke-linecap="round"
      stroke-linejoin="round"
    />
    <circle
      v-if="active && pointer"
      :cx="pointer.x"
      :cy="pointer.y"
      :r="skyline.radius"
      fill="none"
      stroke="#fff"
      stroke-width="1.5"
      style="filter: drop-shadow(0 0 1px #000)"
    />
  </svg>
  <div
    v-show="active"
    ref="layer"
    class="absolute inset-0 z-10 cursor-none touch-none"
    data-test="paint"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="skyline.end()"
    @pointercancel="skyline.end()"
    @pointerleave="pointer = null"
    @wheel="emit('wheel', $event)"
  />
</template>
