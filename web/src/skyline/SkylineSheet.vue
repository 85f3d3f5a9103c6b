<script setup lang="ts">
import { Brush, Eraser, Mountain, Sparkles } from '@lucide/vue'
import { computed, onMounted, onUnmounted, ref } from 'vue'
import { api } from '../api/client'
import type { GroundFrom, Method, NamedFile, Paint, SkylineMode } from '../api/types'
import BrushSliders from '../paint/BrushSliders.vue'
import StrokesBar from '../paint/StrokesBar.vue'
import { grown, shrunk } from '../paint/strokes'
import ToolButton from '../paint/ToolButton.vue'
import { isTyped } from '../parts/keys'
import Segmented from '../parts/Segmented.vue'
import { methodNames, share } from '../parts/units'
import PlanSlider from '../prepare/PlanSlider.vue'
import { useShoot } from '../shoot/store'
import { useView } from '../viewer/view'
import { isBrush, useSkyline, type Laid } from './skyline'
import { stageOf } from '../parts/stages'

const store = useShoot()
const view = useView()
const skyline = useSkyline()
const plan = computed(() => store.shoot!.plan.skyline)
const stars = computed(() => store.shoot!.plan.align.mode === 'stars')

const tools: { paint: Paint; text: string; key: string; icon: unknown; hint: string }[] = [
  {
    paint: 'sky-stroke',
    text: 'Sky stroke',
    key: 'q',
    icon: Sparkles,
    hint: 'A dab says: all of this is sky',
  },
  {
    paint: 'ground-stroke',
    text: 'Ground stroke',
    key: 'w',
    icon: Mountain,
    hint: 'A dab says: all of this is ground',
  },
  {
    paint: 'sky-brush',
    text: 'Sky brush',
    key: 'e',
    icon: Eraser,
    hint: 'Paints sky, pixel by pixel',
  },
  {
    paint: 'ground-brush',
    text: 'Ground brush',
    key: 't',
    icon: Brush,
    hint: 'Paints ground, pixel by pixel',
  },
]
const seenAs: { value: Laid; text: string; hint: string }[] = [
  { value: 'hatching', text: 'Hatched', hint: 'Ground hatched, the margin dotted' },
  { value: 'mask', text: 'Mask', hint: 'The mask alone: white is sky' },
  { value: 'sky', text: 'Sky', hint: 'The sky alone' },
  { value: 'ground', text: 'Ground', hint: 'The ground alone' },
  { value: 'doubt', text: 'Unsure', hint: 'Where it is not sure' },
  { value: 'none', text: 'Off', hint: 'The picture alone' },
]

const apart = computed<SkylineMode>({
  get: () => plan.value.mode,
  set: (mode) => void store.setPlan((p) => (p.skyline.mode = mode), 'the skyline'),
})
const modes = computed(() => [
  { value: 'none' as const, text: 'Off', hint: 'One stack for sky and ground' },
  { value: 'auto' as const, text: 'Found', hint: 'Found in the frames, and painted on' },
  ...(plan.value.mask
    ? [{ value: 'mask' as const, text: 'Loaded', hint: plan.value.mask.file }]
    : []),
])

const method = computed<Method>({
  get: () => plan.value.ground.method,
  set: (method) => void store.setPlan((p) => (p.skyline.ground.method = method)),
})
/** Sets that are not the sky's. */
const sets = computed(() =>
  store.groups.filter((g) => g.set && !g.stacked && g.frames.some((f) => f.role === 'light')),
)
const sources = computed(() => [
  { value: 'same', text: 'The sky’s frames, not aligned' },
  ...sets.value.map((g) => ({ value: `set ${g.set!.id}`, text: `Set: ${g.set!.name}` })),
  ...store.used.map((f) => ({ value: `frame ${f.blake3}`, text: `One frame: ${f.name}` })),
  ...(from.value.by === 'picture'
    ? [{ value: 'picture', text: `Picture: ${from.value.file}` }]
    : []),
  { value: 'load', text: 'A finished picture …' },
])
const from = computed<GroundFrom>(() => plan.value.ground.from)
const source = computed<string>({
  get: () => {
    const now = from.value
    if (now.by === 'set') return `set ${now.set}`
    return now.by === 'frame' ? `frame ${now.blake3}` : now.by
  },
  set: (value) => {
    if (value === 'load') return picture.value?.click()
    const [by, which] = value.split(' ')
    const now: GroundFrom =
      by === 'set'
        ? { by: 'set', set: Number(which) }
        : by === 'frame'
          ? { by: 'frame', blake3: which! }
          : by === 'picture'
            ? from.value
            : { by: 'same' }
    void store.setPlan((p) => (p.skyline.ground.from = now), 'the ground’s source')
  },
})
const several = computed(() => from.value.by === 'same' || from.value.by === 'set')
const elsewhere = computed(() => from.value.by === 'set' || from.value.by === 'picture')

const mask = ref<HTMLInputElement>()
const picture = ref<HTMLInputElement>()

async function load(event: Event, kind: 'mask' | 'picture') {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file) return
  const kept: NamedFile | undefined = await store.attempt(() =>
    api.loadForSkyline(store.shoot!.id, kind, file),
  )
  if (!kept) return
  await store.setPlan(
    (p) => {
      if (kind === 'mask') {
        p.skyline.mask = kept
        p.skyline.mode = 'mask'
      } else p.skyline.ground.from = { by: 'picture', ...kept }
    },
    kind === 'mask' ? 'loading a mask' : 'loading a picture',
  )
}

const finding = computed(() => {
  const now = skyline.finding
  if (!now) return ''
  const stage = now.stage === 'align' ? 'aligning' : now.stage === 'frames' ? 'reading frames' : ''
  const count = now.total > 1 ? ` ${now.done} of ${now.total}` : ''
  return stage ? `Finding the skyline: ${stage}${count}` : 'Finding the skyline'
})
const report = computed(() => stageOf(store.shown?.report, 'skyline') ?? null)
const skyNoise = computed(() => stageOf(store.shown?.report, 'combine')?.noise)

function pick(paint: Paint) {
  skyline.tool = skyline.tool === paint ? null : paint
  if (skyline.tool && view.mode === 'difference') view.mode = 'one'
}

function key(event: KeyboardEvent) {
  if (isTyped(event)) return
  const tool = tools.find((t) => t.key === event.key)
  if (tool) pick(tool.paint)
  else if (event.key === 'Escape') skyline.tool = null
  else if (event.key === ',') skyline.radius = shrunk(skyline.radius)
  else if (event.key === '.') skyline.radius = grown(skyline.radius)
  else if (event.key === 'h') skyline.laid = skyline.laid === 'none' ? 'hatching' : 'none'
}

onMounted(() => window.addEventListener('keydown', key))
onUnmounted(() => window.removeEventListener('keydown', key))
</script>

<template>
  <h2 class="text-[15px] font-semibold">Skyline</h2>
  <p class="mb-3 text-dim">Sky and ground apart: both clean, both sharp.</p>

  <p v-if="!stars" class="mb-3 text-amber" data-test="skyline-unaligned">
    The skyline is found in frames that are aligned on the stars.
    <button class="underline" @click="store.setPlan((p) => (p.align.mode = 'stars'))">
      Align on the stars
    </button>
  </p>
  <Segmented v-model="apart" label="Skyline" :options="modes" />
  <div class="min-h-[40px] py-2" aria-live="polite">
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

  <section class="section">
    <h3>Correct it</h3>
    <div class="grid grid-cols-2 gap-1" role="group" aria-label="Paint">
      <ToolButton
        v-for="one in tools"
        :key="one.paint"
        :text="one.text"
        :hint="one.hint"
        :keys="one.key"
        :icon="one.icon"
        :pressed="skyline.tool === one.paint"
        :disabled="!skyline.info"
        :data-test="one.paint"
        @click="pick(one.paint)"
      />
    </div>
    <BrushSliders
      v-model:radius="skyline.radius"
      v-model:soft="skyline.soft"
      :softens="skyline.tool !== null && isBrush(skyline.tool)"
    />
    <StrokesBar
      :count="skyline.strokes.length"
      @back="skyline.takeBack()"
      @clear="skyline.clear()"
    />
  </section>

  <section class="section">
    <h3>Show</h3>
    <Segmented v-model="skyline.laid" label="Seen" :columns="3" :options="seenAs" />
  </section>

  <section class="section">
    <h3>Margin</h3>
    <PlanSlider
      label="Ground’s margin"
      hint="Into the sky, or back into the ground"
      unit=" px"
      :min="-12"
      :max="12"
      :step="0.5"
      :digits="1"
      :value="plan.margin_px"
      test="margin"
      :set="(p, v) => (p.skyline.margin_px = v)"
    />
    <PlanSlider
      label="Softness"
      unit=" px"
      :min="0"
      :max="12"
      :step="0.5"
      :digits="1"
      :value="plan.soft_px"
      test="softness"
      :set="(p, v) => (p.skyline.soft_px = v)"
    />
    <div class="flex flex-wrap items-center gap-2">
      <button class="button" data-test="mask-load" @click="mask?.click()">Load a mask</button>
      <a
        v-if="skyline.seen"
        class="button"
        :href="skyline.ready ? `/api/shoots/${store.shoot!.id}/skyline/mask.png` : undefined"
        :aria-disabled="!skyline.ready"
        download
        data-test="mask-save"
        >Save PNG</a
      >
      <a
        v-if="skyline.seen"
        class="button"
        :href="skyline.ready ? `/api/shoots/${store.shoot!.id}/skyline/mask.tif` : undefined"
        :aria-disabled="!skyline.ready"
        download
        >TIFF</a
      >
    </div>
    <input
      ref="mask"
      type="file"
      class="hidden"
      accept=".png,.tif,.tiff"
      data-test="mask-file"
      @change="load($event, 'mask')"
    />
    <input
      ref="picture"
      type="file"
      class="hidden"
      accept=".png,.tif,.tiff,.jpg,.jpeg"
      data-test="ground-file"
      @change="load($event, 'picture')"
    />
  </section>

  <section v-if="plan.mode !== 'none'" class="section">
    <h3>Ground</h3>
    <select
      v-model="source"
      class="field"
      aria-label="Where the ground comes from"
      data-test="ground-source"
    >
      <option v-for="one in sources" :key="one.value" :value="one.value">{{ one.text }}</option>
    </select>
    <div v-if="several" class="mt-2">
      <Segmented
        v-model="method"
        label="Ground"
        :options="
          (['mean', 'median', 'clipped'] as const).map((m) => ({
            value: m,
            text: methodNames[m][0]!.toUpperCase() + methodNames[m].slice(1),
          }))
        "
      />
    </div>
    <div v-if="elsewhere" class="mt-2">
      <PlanSlider
        label="As bright as the sky’s frames"
        hint="Brightness and colour are measured on the ground; 0 leaves them as they are"
        unit=" %"
        :min="0"
        :max="100"
        :step="5"
        :value="Math.round(plan.ground.matched * 100)"
        test="matched"
        :set="(p, v) => (p.skyline.ground.matched = v / 100)"
      />
    </div>
  </section>

  <section v-if="report" class="section" data-test="skyline-report">
    <h3>In the result</h3>
    <dl class="grid grid-cols-[1fr_auto] gap-x-3 gap-y-1 text-dim">
      <template v-if="skyNoise">
        <dt>Noise of the sky</dt>
        <dd class="num text-ink">
          ÷ {{ skyNoise.gain.toFixed(2) }} of
          {{ skyNoise.ideal_gain.toFixed(2) }}
        </dd>
      </template>
      <template v-if="report.ground_noise">
        <dt>Noise of the ground</dt>
        <dd class="num text-ink">
          ÷ {{ report.ground_noise.gain.toFixed(2) }} of
          {{ report.ground_noise.ideal_gain.toFixed(2) }}
        </dd>
      </template>
      <template v-if="report.ground_gain[1] !== 1">
        <dt>Ground made brighter by</dt>
        <dd class="num text-ink">× {{ report.ground_gain[1].toFixed(2) }}</dd>
      </template>
    </dl>
    <p v-for="[name, why] in report.left_out" :key="name" class="text-amber">
      {{ name }} is left out of the ground: {{ why }}
    </p>
  </section>
</template>
