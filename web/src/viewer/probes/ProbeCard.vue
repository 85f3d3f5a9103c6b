<script setup lang="ts">
import { X } from '@lucide/vue'
import { computed } from 'vue'
import type { Probe } from '../../api/types'
import { percent, noiseRatio } from '../../domain/units'
import { frameOf } from '../../domain/sources'
import { useShoot } from '../../state/shoot'
import { patchUrl } from '../../domain/tiles'
import { useView } from '../../state/view'
import { useFigures } from './figures'
import { usePins } from './pins'
import { stageOf } from '../../domain/stages'

const props = defineProps<{ probe: Probe }>()
const store = useShoot()
const view = useView()
const pins = usePins()

const { sides, told, of } = useFigures(() => props.probe)

function patch(source: string) {
  return patchUrl(source, view.versionOf(source)!, props.probe, `stops=${view.stops}`)
}

const single = computed(() => of(store.a))
const other = computed(() => of(store.b))
const gain = computed(() => {
  if (!single.value || !other.value || !other.value.noise) return null
  return single.value.noise / other.value.noise
})
/** How much more fine detail there is in B: what a merged sweep gains. */
const sharper = computed(() => {
  if (!single.value?.detail || !other.value) return null
  return other.value.detail / single.value.detail
})
/** The ideal is known where one frame stands against a result. */
const ideal = computed(() => {
  if (!frameOf(store.a) || !store.b?.startsWith('result')) return null
  const result = store.results.find((r) => store.b === `result-${r.id}`)
  // Lightest, darkest and spread have none.
  if (!result || !stageOf(result.report, 'combine')?.noise) return null
  const count = result.report.frames.filter((f) => f.used).length
  return count ? { count, root: Math.sqrt(count) } : null
})
</script>

<template>
  <article class="mb-3.5" data-test="probe">
    <header class="flex items-center gap-2">
      <b class="font-semibold">{{ probe.name }}</b>
      <b
        v-if="store.rules.has_planes && sharper"
        class="num ml-auto font-semibold"
        :class="sharper > 1.05 && 'text-jade'"
        data-test="sharper"
        >detail × {{ sharper.toFixed(2) }}</b
      >
      <b
        v-else-if="gain"
        class="num ml-auto font-semibold"
        :class="gain >= 1.05 && 'text-jade'"
        data-test="gain"
        >{{ noiseRatio(gain, 2) }}</b
      >
      <button
        class="text-faint hover:text-ink"
        :class="!gain && !(store.rules.has_planes && sharper) && 'ml-auto'"
        :aria-label="`Take ${probe.name} away`"
        @click="pins.unpin(probe)"
      >
        <X :size="14" />
      </button>
    </header>
    <div
      class="my-1.5 grid gap-0.75"
      :style="`grid-template-columns: repeat(${sides.length}, 1fr)`"
    >
      <figure v-for="(source, index) in sides" :key="source" class="relative">
        <img
          v-if="told(source)"
          :src="patch(source)"
          :alt="`${probe.name}, side ${index ? 'B' : 'A'}`"
          class="aspect-square w-full rounded-[4px]"
          style="image-rendering: pixelated"
        />
        <div
          v-else
          class="flex aspect-square items-center justify-center rounded-[4px] bg-well p-1 text-center text-tiny text-faint"
        >
          {{ told(source) === null ? 'outside this picture' : '' }}
        </div>
      </figure>
    </div>
    <div class="num text-small text-dim">
      <p
        v-if="store.rules.has_planes && (single || other)"
        title="Fine detail, noise and all: root mean square, as a share of white, of light evened by its root"
        data-test="detail"
      >
        detail {{ single ? percent(single.detail) : '–' }}
        <template v-if="store.b"> → {{ other ? percent(other.detail) : '–' }}</template>
      </p>
      <p
        v-if="single || other"
        :title="`Standard deviation of the noise, as a share of white in linear light${store.rules.has_planes ? '; where nothing is plain, of its detail too' : ''}`"
      >
        {{ store.rules.has_planes ? 'if plain, σ' : 'σ' }}
        {{ single ? percent(single.noise) : '–' }}
        <template v-if="store.b"> → {{ other ? percent(other.noise) : '–' }}</template>
      </p>
      <p
        v-if="gain && ideal && !store.rules.has_planes"
        title="Above 100 %: resampling softens the finest grain a little"
        data-test="ideal"
      >
        √{{ ideal.count }} = {{ ideal.root.toFixed(2) }}, reached
        {{ Math.round((gain / ideal.root) * 100) }} %
      </p>
    </div>
  </article>
</template>
