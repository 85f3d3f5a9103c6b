<script setup lang="ts">
import { computed } from 'vue'
import type { SkylineMode } from '../../api/types'
import { share } from '../../domain/units'
import { useShoot } from '../../state/shoot'
import Segmented from '../../ui/Segmented.vue'
import SpokenText from '../../ui/SpokenText.vue'
import { useSkyline } from './skyline'
import SkylineGround from './SkylineGround.vue'
import SkylineMargin from './SkylineMargin.vue'
import SkylinePaint from './SkylinePaint.vue'
import SkylineReport from './SkylineReport.vue'

const store = useShoot()
const skyline = useSkyline()
const plan = computed(() => store.shoot!.plan.skyline)
const stars = computed(() => store.shoot!.plan.align.mode === 'stars')

const apart = computed<SkylineMode>({
  get: () => plan.value.mode,
  set: (mode) => void store.setPlan((p) => (p.skyline.mode = mode), 'the skyline'),
})
const modes = computed(() => [
  { value: 'none' as const, text: 'Off', hint: 'One stack for sky and ground' },
  { value: 'auto' as const, text: 'Automatic', hint: 'Found in the frames, and painted on' },
  ...(plan.value.mask
    ? [{ value: 'mask' as const, text: 'Loaded', hint: plan.value.mask.file }]
    : []),
])

const finding = computed(() => {
  const now = skyline.finding
  if (!now) return ''
  const stage = now.stage === 'align' ? 'aligning' : now.stage === 'frames' ? 'reading frames' : ''
  const count = now.total > 1 ? ` ${now.done} of ${now.total}` : ''
  return stage ? `Finding the skyline: ${stage}${count}` : 'Finding the skyline'
})
const spoken = computed(() => {
  if (skyline.finding) return 'Finding the skyline.'
  if (skyline.problem) return skyline.problem
  return skyline.seen ? `The skyline is found: ${share(skyline.seen.sky)} sky.` : ''
})
</script>

<template>
  <h2 class="text-title font-semibold">Skyline</h2>
  <p class="mb-3 text-dim">Sky and ground apart: both clean, both sharp.</p>

  <p v-if="!stars" class="mb-3 text-amber" data-test="skyline-unaligned">
    The skyline is found in frames that are aligned on the stars.
    <button class="underline" @click="store.setPlan((p) => (p.align.mode = 'stars'))">
      Align on the stars
    </button>
  </p>
  <Segmented v-model="apart" label="Skyline" :options="modes" />
  <SpokenText :text="spoken" />
  <div class="min-h-10 py-2">
    <p v-if="finding" class="flex justify-between text-dim" data-test="skyline-finding">
      <span>{{ finding }}</span>
      <button class="underline hover:text-ink" @click="skyline.stop()">Stop</button>
    </p>
    <p v-else-if="skyline.problem" class="text-rose" data-test="skyline-problem">
      {{ skyline.problem }}
    </p>
    <p v-else-if="skyline.seen" class="text-dim" data-test="skyline-told">
      <span class="num text-ink">{{ share(skyline.seen.sky) }}</span> sky,
      <span class="num text-ink">{{ share(skyline.seen.unsure) }}</span> unsure
    </p>
    <p
      v-if="skyline.seen?.frames === 1 && !finding"
      class="mt-1 text-amber"
      data-test="skyline-alone"
    >
      Found in one frame alone, where nothing moves. Walk along the margin before you use it, or add
      more frames.
    </p>
  </div>

  <SkylinePaint />
  <SkylineMargin />
  <SkylineGround v-if="plan.mode !== 'none'" />
  <SkylineReport />
</template>
