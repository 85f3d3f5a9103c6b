<script setup lang="ts">
import { Pipette } from '@lucide/vue'
import { computed, onUnmounted, ref, watch } from 'vue'
import { api } from '../api/client'
import type {
  Demosaic,
  FrameColour,
  Highlights,
  Plan,
  PrepareChange,
  Repair,
  Role,
} from '../api/types'
import Segmented from '../parts/Segmented.vue'
import Toggle from '../parts/Toggle.vue'
import { useShoot } from '../shoot/store'
import { useView } from '../viewer/view'
import DifferenceList from './DifferenceList.vue'
import { prepareOf, setPrepare } from './differences'
import HistogramChart from './HistogramChart.vue'
import LensSection from './LensSection.vue'
import PlanSlider from './PlanSlider.vue'
import { frameOf, useSeen } from './seen'

const store = useShoot()
const view = useView()
const { both, treated } = useSeen()

/** The chosen lights, to which settings may be given alone. */
const chosen = computed(
  () => store.shoot?.frames.filter((f) => f.role === 'light' && store.chosen.includes(f.id)) ?? [],
)
const scope = ref<'all' | 'chosen'>('all')
watch(
  () => chosen.value.length,
  (count) => count || (scope.value = 'all'),
)
/** The files of those that settings are given to; all of the shoot where there are none. */
const given = computed(() => (scope.value === 'all' ? null : chosen.value.map((f) => f.blake3)))
const prepare = computed(() => {
  const { plan } = store.shoot!
  return given.value ? prepareOf(plan, given.value[0]!) : plan.prepare
})

/** The frame on side A, whose brightness is told; the reference frame where there is none. */
const looked = computed(() => frameOf(store.a) ?? store.reference?.id)

// A check of colours is for this step, and what is seen elsewhere is as it is.
onUnmounted(() => (view.colours = false))

function change(what: PrepareChange) {
  const to = given.value
  void store.setPlan((plan) => setPrepare(plan, to, what))
}

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
  ...(raw.value ? [{ value: 'light' as const, text: 'By light' }] : []),
  ...(scope.value === 'all' ? [{ value: 'neutral' as const, text: 'By a grey' }] : []),
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
  const now = prepare.value.white_balance
  if (now.by === 'light') setPrepare(plan, given.value, { white_balance: { ...now, ...change } })
}

function setDenoise(plan: Plan, change: { luminance?: number; colour?: number }) {
  setPrepare(plan, given.value, { denoise: { ...prepare.value.denoise, ...change } })
}

const demosaic = computed<Demosaic>({
  get: () => prepare.value.demosaic,
  set: (way) => void store.setPlan((plan) => (plan.prepare.demosaic = way)),
})
const highlights = computed<Highlights>({
  get: () => prepare.value.highlights,
  set: (way) => change({ highlights: way }),
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
    v-if="scope === 'all'"
    class="button mb-3 flex w-full items-center justify-center gap-1.5"
    :aria-pressed="view.picking"
    data-test="pick-grey"
    @click="view.picking = !view.picking"
  >
    <Pipette :size="15" />
    {{ view.picking ? 'Click what shall be grey' : 'Pick what shall be grey' }}
  </button>

  <Toggle
    v-model="view.colours"
    class="mb-2"
    label="Exaggerate colours to check them"
    hint="Shows colours four times as strong; changes nothing"
    test="colour-check"
  />

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

  <div class="section mt-3" data-test="denoise">
    <h3>Noise of each frame</h3>
    <PlanSlider
      label="Brightness"
      unit=" %"
      hint="How much of the noise of brightness is taken off before frames are combined"
      :min="0"
      :max="100"
      :step="5"
      :value="Math.round(prepare.denoise.luminance * 100)"
      test="denoise-luminance"
      :set="(plan, share) => setDenoise(plan, { luminance: share / 100 })"
    />
    <PlanSlider
      label="Colour"
      unit=" %"
      hint="How much of the noise of colour is taken off before frames are combined"
      :min="0"
      :max="100"
      :step="5"
      :value="Math.round(prepare.denoise.colour * 100)"
      test="denoise-colour"
      :set="(plan, share) => setDenoise(plan, { colour: share / 100 })"
    />
  </div>

  <DifferenceList />

  <div v-if="scope === 'all'" class="section" data-test="calibration">
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

  <LensSection v-if="scope === 'all'" />

  <div v-if="raw" class="section">
    <h3>Raw frames</h3>
    <div v-if="scope === 'all'" class="flex items-center gap-3 py-1">
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
