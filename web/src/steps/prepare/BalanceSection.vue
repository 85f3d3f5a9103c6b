<script setup lang="ts">
// White balance, and a check of colours.
import { Pipette } from '@lucide/vue'
import { storeToRefs } from 'pinia'
import { computed, onUnmounted } from 'vue'
import type { Plan } from '../../api/types'
import { setPrepare } from '../../domain/differences'
import { useView } from '../../state/view'
import PlanSlider from '../../ui/PlanSlider.vue'
import Segmented from '../../ui/Segmented.vue'
import Toggle from '../../ui/Toggle.vue'
import { useScope } from './scope'

const view = useView()
const own = useScope()
const { scope, given, prepare, colour, raw } = storeToRefs(own)
const { change } = own

// A check of colours is for this step, and what is seen elsewhere is as it is.
onUnmounted(() => (view.colours = false))

type By = 'as-shot' | 'light' | 'neutral'
const by = computed<By>({
  get: () => prepare.value.white_balance.by,
  set: (by) => {
    if (by === 'neutral') view.picking = true
    else {
      const shot = colour.value?.light ?? { kelvin: 5200, tint: 0 }
      change({
        white_balance:
          by === 'light'
            ? { by, kelvin: Math.round(shot.kelvin / 50) * 50, tint: Math.round(shot.tint) }
            : { by },
      })
    }
  },
})
const balances = computed(() => [
  { value: 'as-shot' as const, text: 'As shot' },
  ...(raw.value ? [{ value: 'light' as const, text: 'Temperature' }] : []),
  ...(scope.value === 'all' ? [{ value: 'neutral' as const, text: 'Grey point' }] : []),
])
const light = computed(() =>
  prepare.value.white_balance.by === 'light' ? prepare.value.white_balance : null,
)
/** The light that the camera chose. */
const shot = computed(() => {
  const light = colour.value?.light
  return light && { kelvin: Math.round(light.kelvin / 50) * 50, tint: Math.round(light.tint) }
})
const asShot = computed(() => {
  if (!raw.value) return 'As the frames were developed.'
  if (!shot.value) return 'As the camera chose.'
  const tint = String(shot.value.tint).replace('-', '−')
  return `As the camera chose: about ${shot.value.kelvin} K, tint ${tint}.`
})

function setLight(plan: Plan, change: { kelvin?: number; tint?: number }) {
  const now = prepare.value.white_balance
  if (now.by === 'light') setPrepare(plan, given.value, { white_balance: { ...now, ...change } })
}
</script>

<template>
  <h3 class="pb-1.5">White balance</h3>
  <Segmented v-model="by" label="White balance" :options="balances" />
  <p v-if="by === 'as-shot'" class="py-2 text-dim" data-test="as-shot">{{ asShot }}</p>
  <div v-else-if="light" class="pt-2">
    <PlanSlider
      label="Temperature"
      unit=" K"
      :min="2000"
      :max="12000"
      :step="50"
      :value="light.kelvin"
      :usual="shot ? shot.kelvin : null"
      test="kelvin"
      :set="(plan, kelvin) => setLight(plan, { kelvin })"
    />
    <PlanSlider
      label="Tint"
      unit=""
      hint="Towards green above 0, towards magenta below"
      :min="-60"
      :max="60"
      :step="1"
      :value="light.tint"
      :usual="shot ? shot.tint : null"
      test="tint"
      :set="(plan, tint) => setLight(plan, { tint })"
    />
  </div>
  <p v-else class="py-2 text-dim">What was picked is grey.</p>
  <button
    v-if="scope === 'all'"
    class="button mb-3 flex w-full items-center justify-center gap-1.5"
    :aria-pressed="view.picking"
    data-test="pick-grey"
    @click="view.picking = !view.picking"
  >
    <Pipette :size="15" />
    {{ view.picking ? 'Click what shall be grey' : 'Pick neutral grey' }}
  </button>

  <Toggle
    v-model="view.colours"
    class="mb-2"
    label="Exaggerate colours"
    hint="Shows colours four times as strong, to check them; changes nothing"
    test="colour-check"
  />
</template>
