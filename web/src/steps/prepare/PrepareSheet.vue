<script setup lang="ts">
// One treatment for all frames, and other settings for some.
import { storeToRefs } from 'pinia'
import { computed } from 'vue'
import { setPrepare } from '../../domain/differences'
import { frameOf } from '../../domain/sources'
import { useShoot } from '../../state/shoot'
import PlanSlider from '../../ui/PlanSlider.vue'
import Segmented from '../../ui/Segmented.vue'
import Toggle from '../../ui/Toggle.vue'
import BalanceSection from './BalanceSection.vue'
import CalibrationSection from './CalibrationSection.vue'
import DenoiseSection from './DenoiseSection.vue'
import DifferenceList from './DifferenceList.vue'
import HistogramChart from './HistogramChart.vue'
import LensSection from './LensSection.vue'
import RawSection from './RawSection.vue'
import { useScope } from './scope'
import { useSeen } from './seen'

const store = useShoot()
const { both, treated } = useSeen()
const { scope, chosen, given, prepare, raw } = storeToRefs(useScope())

/** The frame on side A, whose brightness is told; the reference frame where there is none. */
const looked = computed(() => frameOf(store.a) ?? store.reference?.id)
</script>

<template>
  <h2 class="text-title font-semibold">Prepare</h2>
  <p class="mb-3 text-dim">
    {{
      scope === 'all'
        ? 'One treatment for all frames.'
        : 'What you set now is for the chosen frames alone.'
    }}
  </p>
  <Segmented
    v-if="chosen.length"
    v-model="scope"
    class="mb-3"
    label="For"
    :options="[
      { value: 'all', text: 'All frames' },
      {
        value: 'chosen',
        text: chosen.length === 1 ? 'Only the chosen one' : `${chosen.length} chosen`,
        hint: chosen.map((f) => f.name).join(', '),
      },
    ]"
  />

  <Toggle
    v-model="both"
    class="mb-3"
    label="Before and after"
    hint="Shows the frame as its file has it, and as it is treated"
    test="before-after"
  />
  <HistogramChart v-if="looked" :frame="looked" :source="treated(looked)" />
  <BalanceSection />
  <PlanSlider
    label="Exposure"
    unit=" EV"
    :min="-3"
    :max="3"
    :step="0.1"
    :digits="1"
    :value="prepare.gain_ev"
    test="gain"
    :set="(plan, gain) => setPrepare(plan, given, { gain_ev: gain })"
  />
  <DenoiseSection />
  <DifferenceList />
  <CalibrationSection v-if="scope === 'all'" />
  <LensSection v-if="scope === 'all'" />
  <RawSection v-if="raw" />
</template>
