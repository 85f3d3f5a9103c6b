<script setup lang="ts">
// How often each brightness is there in a frame under its treatment, and what is clipped.
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api } from '../../api/client'
import { queries } from '../../api/queries'
import { share } from '../../domain/units'
import { useShoot } from '../../state/shoot'

const props = defineProps<{ frame: number; source: string }>()
const store = useShoot()
const colours = ['#e08a7a', '#9bbf8a', '#86a8d9']

const { data: histogram } = useQuery(
  {
    queryKey: computed(
      () => ['histogram', props.source, store.treatment(props.frame, true)] as const,
    ),
    queryFn: ({ queryKey: [, source] }) => api.histogram(source),
    placeholderData: keepPreviousData,
    shallow: true,
  },
  queries,
)

/** Outlines in a field of 64 by 40; roots, so that what is rare is seen. */
const outlines = computed(() => {
  const bins = histogram.value?.bins ?? []
  // The ends hold what is clipped, however much that is.
  const highest = Math.max(1, ...bins.flatMap((of) => of.slice(1, -1)))
  return bins.map((of) => {
    const points = of.map((n, x) => {
      const y = 40 - 38 * Math.min(1, Math.sqrt(n / highest))
      return `${x},${y.toFixed(1)} ${x + 1},${y.toFixed(1)}`
    })
    return `0,40 ${points.join(' ')} 64,40`
  })
})
</script>

<template>
  <figure v-if="histogram" class="mb-3" data-test="histogram">
    <svg
      viewBox="0 0 64 40"
      preserveAspectRatio="none"
      class="h-13 w-full rounded-md bg-well"
      role="img"
      aria-label="Histogram: red, green and blue, from black to white"
    >
      <polygon
        v-for="(points, colour) in outlines"
        :key="colour"
        :points="points"
        :fill="colours[colour]"
        fill-opacity="0.45"
        style="mix-blend-mode: screen"
      />
    </svg>
    <figcaption class="mt-1 flex justify-between text-small text-dim">
      <span
        ><b class="num font-medium" :class="histogram.black > 0.001 && 'text-amber'">{{
          share(histogram.black)
        }}</b>
        black</span
      >
      <span
        ><b class="num font-medium" :class="histogram.white > 0.001 && 'text-amber'">{{
          share(histogram.white)
        }}</b>
        clipped</span
      >
    </figcaption>
  </figure>
</template>
