<script setup lang="ts">
// The picture: two sides that are compared, what the open step lays over them, and the bars.
import { computed, ref } from 'vue'
import { onCommand } from '../app/commands'
import { useLayout } from '../state/layout'
import { useShoot } from '../state/shoot'
import { modes, useView } from '../state/view'
import { openStep } from '../steps'
import { usePairs } from '../steps/align/pairs'
import { usePatches } from '../steps/combine/sweep/patches'
import FoldButton from '../ui/FoldButton.vue'
import { brushMask } from './brush'
import './commands'
import { useClicks } from './clicks'
import CrossLayer from './CrossLayer.vue'
import PaintLayer from './paint/PaintLayer.vue'
import { usePanes } from './panes'
import ProbeMarks from './probes/ProbeMarks.vue'
import { useSides } from './sides'
import SourcePicker from './SourcePicker.vue'
import SplitHandle from './SplitHandle.vue'
import ViewBars from './ViewBars.vue'
import ViewHint from './ViewHint.vue'

const [store, view, pairs, patches] = [useShoot(), useView(), usePairs(), usePatches()]
const layout = useLayout()
const box = ref<HTMLElement>()
const elementA = ref<HTMLElement>()
const elementB = ref<HTMLElement>()
const cross = ref<InstanceType<typeof CrossLayer>>()
const sides = useSides()
const { mode, seesA, seesB, blinkB, infoA, infoB, infoLess, offered, problem } = sides
const { pin, clicked } = useClicks(sides)
const { place, places, leading, fit } = usePanes({ a: elementA, b: elementB }, sides, clicked)
let pointer = { x: 0, y: 0, over: false }

const step = computed(() => openStep(store))
const hand = computed(() => step.value.hand?.(store) ?? null)
const half = computed(() => (mode.value === 'beside' ? '50%' : '100%'))
const aims = computed(() => view.pinning || view.picking || pairs.frame !== null)
const styleA = computed(() => {
  const brush = offered.value && patches.at ? brushMask(patches.at, patches, place.value) : null
  return {
    visibility: seesA.value || brush ? ('visible' as const) : ('hidden' as const),
    width: half.value,
    ...(brush ? { zIndex: 1, maskImage: brush } : {}),
  }
})
const styleB = computed(() => ({
  visibility:
    seesB.value && (mode.value !== 'difference' || infoLess.value)
      ? ('visible' as const)
      : ('hidden' as const),
  left: mode.value === 'beside' ? '50%' : '0',
  width: half.value,
  clipPath: mode.value === 'split' ? `inset(0 0 0 ${view.cut * 100}%)` : 'none',
}))

/** Brings a place to the middle, enlarged. */
function lookAt(x: number, y: number) {
  leading.value?.lookAt(x, y, 2)
}
defineExpose({ lookAt })

function pinHere() {
  const at = cross.value?.place ?? leading.value?.under(pointer.x, pointer.y)
  if (at) pin(at.x, at.y)
}

for (const { value } of modes) onCommand(`view.${value}`, () => (view.mode = value))
onCommand('view.swap', sides.swap)
onCommand('view.fit', fit)
onCommand('view.1', () => leading.value?.zoomTo(1))
onCommand('view.3', () => leading.value?.zoomTo(3))
onCommand('view.pin', pinHere, () => pointer.over || cross.value?.place != null)
onCommand(
  'view.nothing',
  () => (view.pinning = view.picking = false),
  () => view.pinning || view.picking,
)
</script>

<template>
  <section
    ref="box"
    class="relative min-h-0 overflow-hidden bg-well"
    aria-label="Picture"
    data-test="view"
    @pointermove="pointer = { x: $event.clientX, y: $event.clientY, over: true }"
    @pointerleave="pointer.over = false"
  >
    <div class="absolute inset-0 isolate" :class="aims && '[&>*]:cursor-crosshair'">
      <div ref="elementA" class="absolute inset-y-0 left-0" :style="styleA" data-test="pane-a" />
      <div ref="elementB" class="absolute inset-y-0" :style="styleB" data-test="pane-b" />
    </div>
    <PaintLayer
      v-if="hand"
      :hand="hand"
      :style="{ right: mode === 'beside' ? '50%' : '0' }"
      :place="place"
      @wheel.prevent="leading?.wheel($event)"
    />
    <component
      :is="step.layer"
      v-if="step.layer"
      :place="place"
      :places="places"
      :width="box?.clientWidth ?? 0"
    />
    <ProbeMarks v-if="!pairs.frame" :place="place" :beside="mode === 'beside'" />
    <div
      v-if="mode === 'beside'"
      class="pointer-events-none absolute inset-y-0 left-1/2 w-px bg-rule"
    />
    <CrossLayer ref="cross" :places :mode :sees-a="seesA" :hand :leading :clicked />
    <SplitHandle v-if="mode === 'split'" />
    <div class="absolute inset-x-3 top-3 z-20 flex items-start gap-2 *:shrink-0">
      <FoldButton
        v-if="!layout.sheet && !layout.alone"
        class="!bg-black/80"
        panel="the settings"
        :open="false"
        edge="left"
        data-test="open-sheet"
        @toggle="layout.toggle('sheet')"
      />
      <SourcePicker
        v-if="seesA || mode === 'difference'"
        v-model="store.a"
        side="A"
        :class="mode === 'blink' && blinkB && 'opacity-50'"
      />
      <SourcePicker
        v-if="infoB && (seesB || mode === 'blink')"
        v-model="store.b"
        side="B"
        class="ml-auto"
        :class="mode === 'blink' && !blinkB && 'opacity-50'"
      />
    </div>
    <p v-if="problem" class="absolute inset-x-0 top-1/3 px-8 text-center text-rose" role="alert">
      {{ problem }}
    </p>
    <ViewHint :mode :empty="!problem && !infoA && !infoB" />
    <ViewBars :mode :scale="place.scale" @fit="fit" @zoom="(scale) => leading?.zoomTo(scale)" />
  </section>
</template>
