<script setup lang="ts">
// Over the picture: the arrows of what is left, or while a frame is placed by hand the places that were set.
import { computed } from 'vue'
import type { View } from '../../viewer/pane'
import { usePairs } from './pairs'
import ResidualArrows from './ResidualArrows.vue'

const props = defineProps<{
  /** Where the leading picture lies on the screen. */
  place: View
  /** Where the picture of each side lies within its half. */
  places: { a: View; b: View }
  /** Width of the viewer in pixels of the screen. */
  width: number
}>()
const pairs = usePairs()

const marks = computed(() =>
  pairs.pairs.flatMap((pair, i) =>
    (['a', 'b'] as const).flatMap((side) => {
      const at = side === 'a' ? pair.frame : pair.reference
      const { left, top, scale } = props.places[side]
      const aside = side === 'b' ? props.width / 2 : 0
      return at ? [{ i, x: aside + left + at.x * scale, y: top + at.y * scale }] : []
    }),
  ),
)
</script>

<template>
  <template v-if="pairs.frame">
    <span
      v-for="(mark, k) in marks"
      :key="k"
      class="pointer-events-none absolute z-10 -mt-2.25 -ml-2.25 h-4.5 w-4.5 rounded-full border-2 border-jade text-center text-tiny leading-3.5 font-semibold text-white"
      style="text-shadow: 0 0 3px #000"
      :style="{ left: `${mark.x}px`, top: `${mark.y}px` }"
      data-test="mark"
    >
      {{ mark.i + 1 }}
    </span>
  </template>
  <ResidualArrows v-else :place="place" />
</template>
