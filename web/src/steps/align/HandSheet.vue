<script setup lang="ts">
import { computed } from 'vue'
import { usePairs } from './pairs'

const pairs = usePairs()

const modelNames: Record<string, string> = {
  shift: 'shift',
  similarity: 'shift, turn, scale',
  homography: 'view of a plane',
}
const whole = computed(() => pairs.pairs.map((p) => p.frame !== null && p.reference !== null))

/** One, two or four pairs are met exactly, whatever they are. */
const exact = computed(() => [1, 2, 4].includes(pairs.whole.length))

/** Distance of a whole pair; pairs that are not whole have none. */
function off(index: number): number | undefined {
  const place = whole.value.slice(0, index).filter(Boolean).length
  return whole.value[index] ? pairs.found?.off_px[place] : undefined
}
</script>

<template>
  <h2 class="text-title font-semibold">Place {{ pairs.frame!.name }} by hand</h2>
  <p class="mb-3 text-dim">
    Click one detail in the frame on the left and the same detail in the reference frame on the
    right. One pair tells a shift, two a turn, four the view. Far apart is best.
  </p>
  <ul class="section flex flex-col gap-1" data-test="pairs">
    <li v-if="!pairs.pairs.length" class="text-dim">No pair yet.</li>
    <li
      v-for="(pair, i) in pairs.pairs"
      :key="i"
      class="flex items-center justify-between gap-2 text-small"
    >
      <b class="num text-jade">{{ i + 1 }}</b>
      <span class="num flex-1 text-dim">
        {{ pair.frame ? `${pair.frame.x.toFixed(0)}, ${pair.frame.y.toFixed(0)}` : 'left?' }} →
        {{
          pair.reference
            ? `${pair.reference.x.toFixed(0)}, ${pair.reference.y.toFixed(0)}`
            : 'right?'
        }}
      </span>
      <span v-if="off(i) !== undefined && !exact" class="num">{{ off(i)!.toFixed(1) }} px</span>
      <button
        class="px-1 text-dim hover:text-ink"
        :aria-label="`Remove pair ${i + 1}`"
        @click="pairs.remove(i)"
      >
        ×
      </button>
    </li>
  </ul>
  <div v-if="pairs.found" class="section" data-test="hand-found">
    <p v-if="pairs.found.model" class="flex flex-wrap justify-between gap-x-3 text-dim">
      <span>{{ modelNames[pairs.found.model] ?? pairs.found.model }}</span>
      <span v-if="exact">one more pair tells how well</span>
      <b v-else class="num font-medium text-ink">{{ pairs.found.rms_px.toFixed(2) }} px rms</b>
    </p>
    <p v-else class="text-amber">These pairs tell no motion: two of them are the same place.</p>
  </div>
  <p class="mb-3 text-small text-faint">
    The next run starts from here and refines it on stars or details; where they do not agree, your
    pairs alone place the frame.
  </p>
  <div class="flex gap-1.5">
    <button class="button button-go flex-1" data-test="hand-keep" @click="pairs.keep">
      {{ pairs.whole.length ? 'Keep' : 'Use automatic alignment' }}
    </button>
    <button class="button" @click="pairs.end">Cancel</button>
  </div>
</template>
