<script setup lang="ts">
// The help that a pointer finds by resting, for keyboards and fingers: where an element with a title has
// the focus, or is touched for a while, its title is shown beside it. Escape takes it away.
import { onMounted, onUnmounted, ref } from 'vue'

/** A finger rests for so long, in milliseconds. */
const RESTS = 500
/** The bubble stays this far from the edges of the window, in pixels. */
const EDGE = 8
/** Its height and half of its greatest width, in pixels. */
const [HIGH, HALF] = [40, 150]

const tip = ref<{ text: string; x: number; y: number } | null>(null)
let timer = 0

function show(target: EventTarget | null) {
  const element = target instanceof Element ? target.closest<HTMLElement>('[title]') : null
  const text = element?.title
  if (!element || !text || text === element.textContent?.trim()) return hide()
  const box = element.getBoundingClientRect()
  const middle = box.left + box.width / 2
  const half = Math.min(HALF, window.innerWidth / 2 - EDGE)
  const below = box.bottom + EDGE + HIGH < window.innerHeight
  tip.value = {
    text,
    x: Math.min(Math.max(middle, half + EDGE), window.innerWidth - half - EDGE),
    y: below ? box.bottom + EDGE : box.top - EDGE - HIGH,
  }
}

function hide() {
  clearTimeout(timer)
  tip.value = null
}

function focus(event: FocusEvent) {
  // What is clicked has the focus too, and needs no help.
  if (event.target instanceof Element && event.target.matches(':focus-visible')) show(event.target)
}

function press(event: PointerEvent) {
  hide()
  if (event.pointerType === 'touch') timer = window.setTimeout(() => show(event.target), RESTS)
}

function key(event: KeyboardEvent) {
  if (event.key === 'Escape') hide()
}

const heard = [
  ['focusin', focus],
  ['focusout', hide],
  ['pointerdown', press],
  ['pointerup', hide],
  ['pointercancel', hide],
  ['keydown', key],
] as [string, (event: Event) => void][]
onMounted(() => heard.forEach(([name, on]) => document.addEventListener(name, on, true)))
onUnmounted(() => heard.forEach(([name, on]) => document.removeEventListener(name, on, true)))
</script>

<template>
  <!-- A screen reader reads the title itself. -->
  <div
    v-if="tip"
    class="pointer-events-none fixed z-50 max-w-75 -translate-x-1/2 rounded-md border border-rule bg-raised px-2.5 py-1.5 text-small text-ink shadow-lg shadow-black/50"
    :style="`left: ${tip.x}px; top: ${tip.y}px`"
    aria-hidden="true"
    data-test="tip"
  >
    {{ tip.text }}
  </div>
</template>
