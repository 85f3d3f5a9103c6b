<script setup lang="ts">
// What is wrong with the picture, or what the next click on it does.
import { computed } from 'vue'
import { useShoot } from '../state/shoot'
import { useView, type Mode } from '../state/view'
import { usePairs } from '../steps/align/pairs'

const props = defineProps<{ mode: Mode; empty: boolean }>()
const [store, view, pairs] = [useShoot(), useView(), usePairs()]

const click = computed(() => {
  if (pairs.frame) return 'Click the same detail on the left and on the right'
  if (view.pinning)
    return `Click the patch to measure, ${store.rules.has_planes ? 'a hair' : 'plain sky'} for instance`
  return view.picking ? 'Click what shall be grey: a stone, a cloud, bare ground' : ''
})
const difference = computed(() => props.mode === 'difference')
</script>

<template>
  <p v-if="empty" class="absolute inset-x-0 top-1/3 text-center text-dim">
    Frames are shown here as soon as there are some.
  </p>
  <p v-if="difference" class="pointer-events-none absolute inset-x-0 top-3 z-10 text-center">
    <span class="rounded-md bg-black/80 px-3 py-1.5">|A − B| × 6</span>
  </p>
  <p
    v-if="click"
    class="pointer-events-none absolute inset-x-0 top-14 z-20 text-center"
    role="status"
  >
    <span class="rounded-md bg-black/80 px-3 py-1.5">{{ click }}</span>
  </p>
</template>
