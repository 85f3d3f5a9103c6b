<script setup lang="ts">
// The picture for the keyboard: with the focus on it a cross is moved, which clicks and paints.
import { computed, ref, useTemplateRef, watch } from 'vue'
import { useShoot } from '../state/shoot'
import { useView } from '../state/view'
import { useCross } from './cross'
import type { Hand } from './paint/hand'
import type { Pane, View } from './pane'

/** The place is told once the cross stands still for so long, in milliseconds. */
const RESTS = 500

const props = defineProps<{
  places: { a: View; b: View }
  mode: string
  seesA: boolean
  hand: Hand | null
  leading?: Pane
  clicked: (side: 'a' | 'b', x: number, y: number) => boolean
}>()
const [store, view] = [useShoot(), useView()]
const layer = useTemplateRef<HTMLElement>('layer')
const { at, place, enter, leave, key } = useCross({
  size: () => ({ width: layer.value!.clientWidth, height: layer.value!.clientHeight }),
  picture: (x) => {
    const wide = layer.value!.clientWidth
    if (props.mode === 'beside' && x >= wide / 2) {
      const { b } = props.places
      return { side: 'b', view: { ...b, left: b.left + wide / 2 } }
    }
    const right = props.mode === 'split' && x > view.cut * wide
    const side = props.seesA && !right ? 'a' : 'b'
    return { side, view: props.places[side] }
  },
  hand: () => props.hand,
  pan: (x, y) => props.leading?.pan(x, y),
  zoom: (factor, x, y) => {
    const box = layer.value!.getBoundingClientRect()
    props.leading?.zoomBy(factor, box.left + x, box.top + y)
  },
  click: props.clicked,
})
defineExpose({ place })

const told = ref('')
let timer = 0
const text = computed(() => {
  if (!place.value) return ''
  const painting = props.hand?.painting ? 'Painting; Enter ends it. ' : ''
  return `${painting}x ${Math.round(place.value.x)}, y ${Math.round(place.value.y)}`
})
watch(text, (now) => {
  clearTimeout(timer)
  timer = window.setTimeout(() => (told.value = now), RESTS)
})

function onKey(event: KeyboardEvent) {
  if (key(event)) event.preventDefault()
}

function onFocus() {
  if (store.shoot && layer.value!.matches(':focus-visible')) enter()
}
</script>

<template>
  <div
    ref="layer"
    class="pointer-events-none absolute inset-0 z-10 -outline-offset-2!"
    role="application"
    tabindex="0"
    aria-label="Picture. Arrow keys move a cross, with Shift finely; plus and minus zoom; Enter clicks, or paints from one press to the next."
    data-test="cross"
    @focus="onFocus"
    @blur="leave"
    @keydown="onKey"
  >
    <svg v-if="at" class="absolute inset-0 h-full w-full" aria-hidden="true">
      <g
        :transform="`translate(${at.x} ${at.y})`"
        stroke="#fff"
        stroke-width="1.5"
        style="filter: drop-shadow(0 0 1px #000)"
      >
        <path d="M-14 0H-4M4 0H14M0 -14V-4M0 4V14" fill="none" />
        <circle v-if="hand?.active" :r="hand.radius" fill="none" />
      </g>
    </svg>
    <span
      v-if="at"
      class="num absolute rounded bg-black/80 px-1.5 text-small"
      :style="`left: ${at.x + 18}px; top: ${at.y + 10}px`"
      >{{ text }}</span
    >
    <span class="sr-only" role="status">{{ told }}</span>
  </div>
</template>
