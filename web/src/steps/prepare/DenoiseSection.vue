<script setup lang="ts">
// Noise of each frame, before they are combined.
import { storeToRefs } from 'pinia'
import type { Plan } from '../../api/types'
import { setPrepare } from '../../domain/differences'
import { inPercent } from '../../domain/units'
import PlanSlider from '../../ui/PlanSlider.vue'
import { useScope } from './scope'

const { given, prepare } = storeToRefs(useScope())

function setDenoise(plan: Plan, change: { luminance?: number; colour?: number }) {
  setPrepare(plan, given.value, { denoise: { ...prepare.value.denoise, ...change } })
}
</script>

<template>
  <div class="section mt-3" data-test="denoise">
    <h3>Denoise frames</h3>
    <PlanSlider
      label="Luminance noise"
      unit=" %"
      hint="How much of the noise of brightness is taken off before frames are combined"
      :min="0"
      :max="100"
      :step="5"
      :value="inPercent(prepare.denoise.luminance)"
      test="denoise-luminance"
      :set="(plan, share) => setDenoise(plan, { luminance: share / 100 })"
    />
    <PlanSlider
      label="Colour noise"
      unit=" %"
      hint="How much of the noise of colour is taken off before frames are combined"
      :min="0"
      :max="100"
      :step="5"
      :value="inPercent(prepare.denoise.colour)"
      test="denoise-colour"
      :set="(plan, share) => setDenoise(plan, { colour: share / 100 })"
    />
  </div>
</template>
