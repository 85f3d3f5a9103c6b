<script setup lang="ts">
import { Pipette } from '@lucide/vue'
import { computed, ref, watch } from 'vue'
import { api } from '../api/client'
import type { Demosaic, FrameColour, Highlights, Plan, Repair, Role } from '../api/types'
import Segmented from '../parts/Segmented.vue'
import { useShoot } from '../shoot/store'
import { useView } from '../viewer/view'
import PlanSlider from './PlanSlider.vue'

const store = useShoot()
const view = useView()
const prepare = computed(() => store.shoot!.plan.prepare)

/** What the reference frame tells about its colours. */
const colour = ref<FrameColour | null>(null)
watch(
  () => store.reference?.id,
  async (id) => (colour.value = id ? await api.colour(id).catch(() => null) : null),
  { immediate: true },
)
const raw = computed(() => colour.value?.raw ?? false)

type By = 'as-shot' | 'light' | 'neutral'
const by = computed<By>({
  get: () => prepare.value.white_balance.by,
  set: (by) => {
    if (by === 'neutral') view.picking = true
    else
      void store.setPlan((plan) => {
        const shot = colour.value?.light ?? { kelvin: 5200, tint: 0 }
        plan.prepare.white_balance =
          by === 'light'
            ? { by, kelvin: Math.round(shot.kelvin / 50) * 50, tint: Math.round(shot.tint) }
            : { by }
      })
  },
})
const balances = computed(() => [
  { value: 'as-shot' as const, text: 'As shot' },
  ...(raw.value ? [{ value: 'light' as const, text: 'By light' }] : []),
  { value: 'neutral' as const, text: 'By a grey' },
])
const light = computed(() =>
  prepare.value.white_balance.by === 'light' ? prepare.value.white_balance : null,
)
const asShot = computed(() => {
  if (!raw.value) return 'As the frames were developed.'
  const shot = colour.value?.light
  if (!shot) return 'As the camera chose.'
  const tint = String(Math.round(shot.tint)).replace('-', '−')
  return `As the camera chose: about ${Math.round(shot.kelvin / 50) * 50} K, tint ${tint}.`
})

function setLight(plan: Plan, change: { kelvin?: number; tint?: number }) {
  const now = plan.prepare.white_balance
  if (now.by === 'light') plan.prepare.white_balance = { ...now, ...change }
}

const demosaic = computed<Demosaic>({
  get: () => prepare.value.demosaic,
  set: (way) => void store.setPlan((plan) => (plan.prepare.demosaic = way)),
})
const highlights = computed<Highlights>({
  get: () => prepare.value.highlights,
  set: (way) => void store.setPlan((plan) => (plan.prepare.highlights = way)),
})
const repair = computed<Repair>({
  get: () => prepare.value.repair,
  set: (way) => void store.setPlan((plan) => (plan.prepare.repair = way)),
})

const does: [Role, string, string][] = [
  ['dark', 'dark', 'What the sensor adds in the exposure’s time is taken off.'],
  ['flat', 'flat', 'Shade of the lens and specks of dust are given back.'],
  ['bias', 'bias', 'Darks of another exposure time are scaled.'],
]
const calibration = computed(() =>
  does.map(([role, name, effect]) => {
    const count = store.calibration.filter((f) => f.role === role && !f.left_out).length
    return { role, name, effect, count }
  }),
)
const repairs = computed(() => {
  const darks = calibration.value[0]!.count > 0
  if (repair.value === 'off') return 'Hot and cold pixels stay.'
  if (darks) return 'Hot and cold pixels that the darks show are repaired.'
  if (raw.value || repair.value === 'always')
    return 'Hot and cold pixels are found in the lights: what stays in place while the sky moves.'
  return 'Developed frames without darks stay as they are.'
})
</script>

<template>
  <h2 class="text-[15px] font-semibold">Prepare</h2>
  <p class="mb-3 text-dim">One treatment for all frames.</p>

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
      test="tint"
      :set="(plan, tint) => setLight(plan, { tint })"
    />
  </div>
  <p v-else class="py-2 text-dim">What was picked is grey.</p>
  <button
    class="button mb-3 flex w-full items-center justify-center gap-1.5"
    :aria-pressed="view.picking"
    data-test="pick-grey"
    @click="view.picking = !view.picking"
  >
    <Pipette :size="15" />
    {{ view.picking ? 'Click what shall be grey' : 'Pick what shall be grey' }}
  </button>

  <PlanSlider
    label="Exposure"
    unit=" EV"
    :min="-3"
    :max="3"
    :step="0.1"
    :digits="1"
    :value="prepare.gain_ev"
    test="gain"
    :set="(plan, gain) => (plan.prepare.gain_ev = gain)"
  />

  <div class="section mt-3" data-test="calibration">
    <h3>Calibration</h3>
    <p v-if="!store.calibration.length" class="mb-2 text-dim">
      No dark, flat or bias frames. Add them under Frames, and they are used for every run.
    </p>
    <dl v-else class="mb-2">
      <template v-for="one in calibration" :key="one.role">
        <div v-if="one.count" class="flex gap-3 py-1">
          <dt class="num w-[64px] shrink-0">{{ one.count }} {{ one.name }}</dt>
          <dd class="text-dim">{{ one.effect }}</dd>
        </div>
      </template>
    </dl>
    <div class="flex items-center gap-3">
      <span class="text-dim">Repair</span>
      <Segmented
        v-model="repair"
        class="flex-1"
        label="Repair"
        :options="[
          { value: 'auto', text: 'Auto' },
          { value: 'always', text: 'Always' },
          { value: 'off', text: 'Off' },
        ]"
      />
    </div>
    <p class="pt-2 text-dim">{{ repairs }}</p>
  </div>

  <div v-if="raw" class="section">
    <h3>Raw frames</h3>
    <div class="flex items-center gap-3 py-1">
      <span class="w-[76px] shrink-0 text-dim">Demosaic</span>
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
      <span class="w-[76px] shrink-0 text-dim">Highlights</span>
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
