<script setup lang="ts">
// The line between the two sides, dragged or moved by arrow keys.
import { ref } from 'vue'
import { useView } from '../state/view'

const view = useView()
const handle = ref<HTMLElement>()

function to(share: number) {
  view.cut = Math.min(0.98, Math.max(0.02, share))
}

function drag(event: PointerEvent) {
  const own = handle.value!
  own.setPointerCapture(event.pointerId)
  const move = (e: PointerEvent) => {
    const bounds = own.parentElement!.getBoundingClientRect()
    to((e.clientX - bounds.left) / bounds.width)
  }
  own.addEventListener('pointermove', move)
  own.addEventListener('pointerup', () => own.removeEventListener('pointermove', move), {
    once: true,
  })
}

function nudge(event: KeyboardEvent) {
  const step = event.key === 'ArrowLeft' ? -0.02 : event.key === 'ArrowRight' ? 0.02 : 0
  if (!step) return
  event.preventDefault()
  to(view.cut + step)
}
</script>

<template>
  <div
    ref="handle"
    class="absolute inset-y-0 z-10 -ml-3 w-6 cursor-ew-resize touch-none"
    :style="{ left: `${view.cut * 100}%` }"
    role="slider"
    tabindex="0"
    aria-label="Split"
    :aria-valuenow="Math.round(view.cut * 100)"
    :aria-valuetext="`${Math.round(view.cut * 100)} % of the width`"
    aria-valuemin="0"
    aria-valuemax="100"
    data-test="split-handle"
    @pointerdown="drag"
    @keydown="nudge"
  >
    <div class="mx-auto h-full w-px bg-white/80" />
    <div
      class="absolute top-1/2 left-0.5 -mt-4.25 h-8.5 w-5 rounded-[10px] border border-white/80 bg-black/60"
    />
  </div>
</template>
