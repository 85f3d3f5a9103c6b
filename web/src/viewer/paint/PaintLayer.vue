<script setup lang="ts">
// Takes the hand while something is painted, and shows strokes until the picture has them.
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { isPressed, isTyped } from '../../app/keys'
import type { View } from '../pane'
import type { Hand, Shown } from './hand'
import { pressed, type Point } from './strokes'

const props = defineProps<{ place: View; hand: Hand }>()
const emit = defineEmits<{ wheel: [event: WheelEvent] }>()
const layer = ref<HTMLElement>()
const pointer = ref<{ x: number; y: number } | null>(null)
/** The picture is moved rather than painted on while the space bar is held. */
const moving = ref(false)

const active = computed(() => props.hand.active && !moving.value)

function point(event: PointerEvent): Point {
  const box = layer.value!.getBoundingClientRect()
  const { left, top, scale } = props.place
  return [
    (event.clientX - box.left - left) / scale - 0.5,
    (event.clientY - box.top - top) / scale - 0.5,
    pressed(props.hand.radius, event) / scale,
  ]
}

function down(event: PointerEvent) {
  if (event.button !== 0) return
  event.preventDefault()
  layer.value!.setPointerCapture(event.pointerId)
  props.hand.begin(point(event))
}

function move(event: PointerEvent) {
  const box = layer.value!.getBoundingClientRect()
  pointer.value = { x: event.clientX - box.left, y: event.clientY - box.top }
  const [x, y] = point(event)
  props.hand.hover?.({ x, y })
  if (!props.hand.painting) return
  // A pen tells more places than the screen has pictures.
  const all = event.getCoalescedEvents?.() ?? []
  for (const one of all.length ? all : [event]) props.hand.move(point(one))
}

function leave() {
  pointer.value = null
  props.hand.hover?.(null)
}

function key(event: KeyboardEvent) {
  if (event.code !== 'Space') return
  if (props.hand.active && !isTyped(event) && !isPressed(event)) {
    moving.value = event.type === 'keydown'
    event.preventDefault()
  }
  if (event.type === 'keyup') moving.value = false
}

function line(stroke: Shown) {
  const { left, top, scale } = props.place
  const places = stroke.points.map(([x, y]) => [left + (x + 0.5) * scale, top + (y + 0.5) * scale])
  // A dot is a line of no length.
  if (places.length === 1) places.push(places[0]!)
  return places.map((at) => at.join(',')).join(' ')
}

function width(stroke: Shown) {
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
      v-for="(stroke, i) in hand.shown"
      :key="i"
      :points="line(stroke)"
      fill="none"
      :stroke="stroke.colour"
      :stroke-width="width(stroke)"
      :stroke-opacity="stroke.opacity"
      stroke-linecap="round"
      stroke-linejoin="round"
    />
    <circle
      v-if="active && pointer"
      :cx="pointer.x"
      :cy="pointer.y"
      :r="hand.radius"
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
    @pointerup="hand.end()"
    @pointercancel="hand.end()"
    @pointerleave="leave"
    @wheel="emit('wheel', $event)"
  />
</template>
