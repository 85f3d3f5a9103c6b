<script setup lang="ts">
import { Crosshair } from '@lucide/vue'
import { computed } from 'vue'
import { useShoot } from '../shoot/store'
import { isReference } from '../shoot/told'
import { useView } from '../viewer/view'
import ProbeCard from './ProbeCard.vue'
import { stageOf } from '../parts/stages'

const store = useShoot()
const view = useView()
const probes = computed(() => store.shoot?.probes ?? [])
const ready = computed(() => store.a !== null || store.b !== null)
const noise = computed(() => stageOf(store.shown?.report, 'combine')?.noise)
const width = computed(() => {
  const report = store.shown?.report
  const single = report?.frames.find((f) => isReference(f, report))?.star_width_px
  const combined = stageOf(report, 'combine')?.star_width_px
  return combined && single ? [single, combined] : null
})
</script>

<template>
  <aside class="flex min-h-0 flex-col overflow-auto border-l border-rule p-3.5" aria-label="Probes">
    <h2 class="text-[15px] font-semibold">Probes</h2>
    <p class="mb-3 text-dim">Side A against side B, as they are shown.</p>
    <dl
      v-if="noise || width"
      class="mb-3 rounded-lg bg-sheet px-3 py-2 text-[12px]"
      data-test="whole"
    >
      <div
        v-if="noise"
        class="flex justify-between gap-2"
        title="Middle of many plain patches. Above the ideal: resampling softens the finest grain a little."
      >
        <dt class="text-dim">noise</dt>
        <dd class="num text-jade">÷ {{ noise.gain.toFixed(2) }}</dd>
      </div>
      <div v-if="noise" class="flex justify-between gap-2">
        <dt class="text-dim">averaging alone</dt>
        <dd class="num">÷ {{ noise.ideal_gain.toFixed(2) }}</dd>
      </div>
      <div v-if="width" class="flex justify-between gap-2">
        <dt class="text-dim">star width</dt>
        <dd class="num">{{ width[0]!.toFixed(2) }} → {{ width[1]!.toFixed(2) }} px</dd>
      </div>
    </dl>
    <ProbeCard v-for="probe in probes" :key="probe.id" :probe="probe" />
    <p v-if="!probes.length" class="mb-3 text-dim">
      {{
        store.rules.has_planes
          ? 'Pin a patch to see what becomes sharp: both sides enlarged, with their detail and noise.'
          : 'Pin a patch of plain sky to see what stacking gains: both sides enlarged, with their noise.'
      }}
    </p>
    <div class="border-t border-rule pt-3">
      <button
        class="button flex w-full items-center justify-center gap-1.5"
        :disabled="!ready"
        :aria-pressed="view.pinning"
        data-test="pin"
        @click="view.pinning = !view.pinning"
      >
        <Crosshair :size="15" /> {{ view.pinning ? 'Click the picture' : 'Pin a probe' }}
      </button>
      <p class="mt-2 text-[12px] text-faint">
        Or press <b class="text-dim">p</b> over the picture.
      </p>
    </div>
  </aside>
</template>
