<script setup lang="ts">
// How raw frames are developed.
import { storeToRefs } from 'pinia'
import { computed } from 'vue'
import type { Demosaic, Highlights } from '../../api/types'
import { useShoot } from '../../state/shoot'
import Segmented from '../../ui/Segmented.vue'
import { useScope } from './scope'

const store = useShoot()
const own = useScope()
const { scope, prepare } = storeToRefs(own)
const { change } = own

const demosaic = computed<Demosaic>({
  get: () => prepare.value.demosaic,
  set: (way) => void store.setPlan((plan) => (plan.prepare.demosaic = way)),
})
const highlights = computed<Highlights>({
  get: () => prepare.value.highlights,
  set: (way) => change({ highlights: way }),
})
</script>

<template>
  <div class="section">
    <h3>Raw frames</h3>
    <div v-if="scope === 'all'" class="flex items-center gap-3 py-1">
      <span class="w-19 shrink-0 text-dim">Demosaic</span>
      <Segmented
        v-model="demosaic"
        class="flex-1"
        label="Demosaic"
        :options="[
          { value: 'fine', text: 'Fine', hint: 'Colours are found along edges' },
          { value: 'fast', text: 'Fast', hint: 'Colours are found in straight lines' },
        ]"
      />
    </div>
    <div class="flex items-center gap-3 py-1">
      <span class="w-19 shrink-0 text-dim">Highlights</span>
      <Segmented
        v-model="highlights"
        class="flex-1"
        label="Highlights"
        :options="[
          { value: 'clip', text: 'Clip', hint: 'White from where the first colour is full' },
          { value: 'keep', text: 'Keep', hint: 'Colours that are not full go on' },
        ]"
      />
    </div>
  </div>
</template>
