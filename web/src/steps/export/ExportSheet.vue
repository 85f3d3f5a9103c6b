<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Colours, ExportFormat } from '../../api/types'
import Segmented from '../../ui/Segmented.vue'
import Toggle from '../../ui/Toggle.vue'
import { resultName } from '../../domain/units'
import { useShoot } from '../../state/shoot'
import SavedFiles from './SavedFiles.vue'
import { useSaving } from './saving'
import SavingProgress from './SavingProgress.vue'
import { stageOf } from '../../domain/stages'

const store = useShoot()
const saving = useSaving()
const format = ref<ExportFormat>('tiff16')

const hints: Record<ExportFormat, string> = {
  tiff16: 'For further work: 16 bit, nothing lost, the camera’s facts inside.',
  tiff32f: 'Linear light in floating-point numbers: highlights beyond white stay.',
  png16: 'For further work where TIFF is not read: 16 bit, nothing lost.',
  jpeg: 'For showing: 8 bit, small.',
  mask: 'The share of sky as a grey PNG of 16 bit, as large as the result: white is sky.',
  depthmap:
    'Which frame is sharp where: grey, 16 bit, black for the first plane; white where none is told.',
  moving: 'A small view that goes through the planes and back: a moving PNG, as browsers show it.',
}
const formats = computed<{ value: ExportFormat; text: string }[]>(() => [
  { value: 'tiff16', text: 'TIFF 16' },
  { value: 'tiff32f', text: 'TIFF 32f' },
  { value: 'png16', text: 'PNG 16' },
  { value: 'jpeg', text: 'JPEG' },
  ...(stageOf(store.shown?.report, 'skyline')
    ? [{ value: 'mask' as const, text: 'Sky mask' }]
    : []),
  ...(stageOf(store.shown?.report, 'merge')
    ? [
        { value: 'depthmap' as const, text: 'Depth map' },
        { value: 'moving' as const, text: 'Moving view' },
      ]
    : []),
])
const isPicture = computed(() => ['tiff16', 'tiff32f', 'png16', 'jpeg'].includes(format.value))

const colours = computed<{ value: Colours; text: string; hint: string }[]>(() => [
  { value: 'input', text: 'as the frames', hint: 'Nothing is lost that the frames hold.' },
  { value: 'srgb', text: 'sRGB', hint: 'Every screen and program shows it right; the narrowest.' },
  { value: 'display-p3', text: 'Display P3', hint: 'For present screens: wider reds and greens.' },
  { value: 'a98', text: 'A98 RGB', hint: 'For printing: wider greens and cyans.' },
  { value: 'prophoto', text: 'ProPhoto RGB', hint: 'Wider than any screen: for further work.' },
  ...(format.value === 'jpeg' || format.value === 'tiff32f'
    ? []
    : [
        {
          value: 'linear' as const,
          text: 'linear',
          hint: 'Numbers proportional to light, in the primaries of the frames.',
        },
      ]),
])
/** Floats are linear whatever is chosen, and 8 bits are too few for that. */
const chosen = computed<Colours>({
  get: () => (colours.value.some((one) => one.value === saving.colours) ? saving.colours : 'input'),
  set: (value) => (saving.colours = value),
})

/** Whether the file of the reference frame tells where it was taken. */
const placed = computed(() => {
  const frame = store.shoot?.frames.find((f) => f.id === store.shown?.reference_id)
  return frame?.facts?.details?.gps?.length
})

function save() {
  const { id } = store.shown!
  void saving.save(id, { format: format.value, colours: chosen.value, place: saving.place })
}
</script>

<template>
  <h2 class="text-title font-semibold">Export</h2>
  <p class="mb-3 text-dim">The picture with its colour profile, and the plan beside it.</p>
  <p v-if="!store.shown" class="text-dim">There is no result yet. Press Run first.</p>
  <template v-else>
    <p class="mb-2">
      <b class="inline-block font-semibold first-letter:uppercase">{{
        resultName(store.shown)
      }}</b>,
      <span class="num"
        >{{ store.shown.report.size[0] }} × {{ store.shown.report.size[1] }} px</span
      >
    </p>
    <Segmented
      v-model="format"
      label="Format"
      :columns="formats.length > 4 ? 3 : 4"
      :options="formats"
    />
    <p class="py-2.5 text-dim">{{ hints[format] }}</p>
    <template v-if="isPicture">
      <label class="flex items-center justify-between gap-3 text-dim">
        <span>Colours</span>
        <select v-model="chosen" class="field !w-auto !py-1 text-ink" data-test="colours">
          <option v-for="one in colours" :key="one.value" :value="one.value">{{ one.text }}</option>
        </select>
      </label>
      <p class="pt-1.5 pb-2 text-dim">
        {{ colours.find((one) => one.value === chosen)?.hint }}
      </p>
      <Toggle
        v-if="placed"
        v-model="saving.place"
        label="Say where it was taken"
        hint="The position that the camera noted goes into the file"
        test="place"
      />
    </template>
    <button v-if="!saving.now" class="button button-go my-3 w-full" data-test="save" @click="save">
      Save
    </button>
    <SavingProgress />
    <SavedFiles />
  </template>
</template>
