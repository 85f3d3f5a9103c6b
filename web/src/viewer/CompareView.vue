<script setup lang="ts">
import { storeToRefs } from 'pinia'
import { computed, nextTick, onMounted, onUnmounted, ref, shallowRef, watch } from 'vue'
import { api } from '../api/client'
import type { PictureInfo } from '../api/types'
import { isTyped } from '../parts/keys'
import { frameOf } from '../prepare/seen'
import { usePins } from '../probes/pins'
import { useShoot } from '../shoot/store'
import { Pane, type View } from './pane'
import SourcePicker from './SourcePicker.vue'
import ResidualArrows from '../align/ResidualArrows.vue'
import { usePairs } from '../align/pairs'
import { usePatches } from '../focus/patches'
import type { Hand } from '../paint/hand'
import PaintLayer from '../paint/PaintLayer.vue'
import { useSkyline } from '../skyline/skyline'
import { modes, useView, type Mode } from './view'
import ViewBars from './ViewBars.vue'

const store = useShoot()
const view = useView()
const pins = usePins()
const pairs = usePairs()
const skyline = useSkyline()
const patches = usePatches()

const box = ref<HTMLElement>()
const elementA = ref<HTMLElement>()
const elementB = ref<HTMLElement>()
const panes = shallowRef<{ a: Pane; b: Pane } | null>(null)
const place = ref<View>({ left: 0, top: 0, scale: 1 })
const places = ref<{ a: View; b: View }>({ a: place.value, b: place.value })
const { infoA, infoB } = storeToRefs(view)
const problem = ref('')
const blinkB = ref(false)
let pointer = { x: 0, y: 0, over: false }

/** Side A less side B, as the server makes it. */
const infoLess = shallowRef<PictureInfo | null>(null)

/** With one picture only there is nothing to compare. */
const mode = computed<Mode>(() => (infoA.value && infoB.value ? view.mode : 'one'))
const seesB = computed(() => {
  if (!infoB.value) return false
  if (!infoA.value) return true
  return mode.value === 'one' ? view.side === 'b' : mode.value !== 'blink' || blinkB.value
})
const seesA = computed(
  () =>
    infoA.value !== null && mode.value !== 'difference' && (mode.value !== 'one' || !seesB.value),
)
/** What a brush would paint is seen under it: the pane that is not on show lies there, cut to the brush. */
const offered = computed(() =>
  mode.value === 'one' && seesB.value && patches.active ? patches.offered : null,
)
const styleA = computed(() => {
  const brush = offered.value && patches.at ? brushed(patches.at) : null
  return {
    visibility: seesA.value || brush ? ('visible' as const) : ('hidden' as const),
    width: mode.value === 'beside' ? '50%' : '100%',
    ...(brush ? { zIndex: 1, maskImage: brush } : {}),
  }
})
const styleB = computed(() => ({
  visibility:
    seesB.value && (mode.value !== 'difference' || infoLess.value)
      ? ('visible' as const)
      : ('hidden' as const),
  left: mode.value === 'beside' ? '50%' : '0',
  width: mode.value === 'beside' ? '50%' : '100%',
  clipPath: mode.value === 'split' ? `inset(0 0 0 ${view.cut * 100}%)` : 'none',
}))

/** The brush as it covers what is painted over, at a place of the reference frame. */
function brushed({ x, y }: { x: number; y: number }) {
  const { left, top, scale } = place.value
  const at = `${left + (x + 0.5) * scale}px ${top + (y + 0.5) * scale}px`
  return `radial-gradient(circle ${patches.radius}px at ${at}, #000 ${100 - 100 * patches.soft}%, transparent)`
}

async function look(source: string | null): Promise<PictureInfo | null> {
  if (!source) return null
  try {
    problem.value = ''
    return await api.picture(source)
  } catch (error) {
    problem.value = error instanceof Error ? error.message : String(error)
    return null
  }
}

/** What, beside its number, decides how a source is seen. */
function shownAs(source: string | null) {
  const frame = source?.startsWith('original-') ? null : frameOf(source)
  if (!frame) return ''
  const calibration = source!.startsWith('calibrated-') ? store.calibration : []
  return store.treatment(frame) + calibration.map((f) => `${f.id} ${f.left_out}`).join()
}

/** Asks for what a side shows whenever that is another picture; an answer that comes too late is passed over. */
function follow(side: 'a' | 'b', info: typeof infoA) {
  const wanted = () => [store[side], shownAs(store[side])] as const
  watch(
    wanted,
    async (own) => {
      const found = await look(own[0])
      if (JSON.stringify(own) === JSON.stringify(wanted())) info.value = found
    },
    { immediate: true },
  )
}
follow('a', infoA)
follow('b', infoB)

/** Size of the reference frame, in whose pixels everything is placed. */
const size = computed(() => {
  if (infoA.value && frameOf(infoA.value.source)) return infoA.value
  const facts = store.reference?.facts
  return facts ?? infoA.value ?? infoB.value
})

/** The result on side B, with what is painted on it. */
const shownB = computed(() =>
  patches.info && infoB.value?.source === `result-${patches.result?.id}`
    ? patches.info
    : infoB.value,
)
watch([mode, infoA, shownB], async ([mode, one, other]) => {
  if (mode !== 'difference' || !one || !other) return (infoLess.value = null)
  const found = await look(`${one.source}~${other.source}`)
  if (infoA.value === one && shownB.value === other) infoLess.value = found
})
/** What paints on the picture in this step. */
const hand = computed<Hand | null>(() => {
  if (store.step === 'skyline') return skyline
  return store.step === 'combine' && store.rules.changes.includes('paint') ? patches : null
})

/** What was seen under the brush last, as long as the pane has it. */
let under: string | null = null
watch([panes, infoA, offered, shownB, infoLess, size, () => view.how], () => {
  const both = panes.value
  if (!both || !size.value) return
  const reference = { width: size.value.width, height: size.value.height }
  // Nothing else is seen under the brush while its picture is on its way.
  const source = offered.value?.source ?? null
  if (source !== under) both.a.clear()
  under = source
  const shownA = offered.value ?? infoA.value
  if (shownA) both.a.show(shownA, reference, view.how)
  else both.a.clear()
  const seen = infoLess.value ?? shownB.value
  if (seen) both.b.show(seen, reference, view.how)
  else both.b.clear()
})

/** The map of the result on side B, where it has one; in its own step the skyline. */
watch(
  [
    panes,
    infoA,
    infoB,
    () => view.overlay,
    () => view.only,
    () => store.step,
    () => skyline.info,
    () => skyline.laid,
    seesA,
  ],
  async ([both, , info, chosen, only, step, skies, laid, inA]) => {
    const result = info?.source.match(/^result-(\d+)$/)?.[1]
    if (!both) return
    if (step === 'skyline') {
      const shown = laid === 'none' ? null : skies
      // A result beside the frame is seen as it is.
      both.a.lay(inA ? shown : null, `laid=${laid}`)
      return both.b.lay(inA ? null : shown, `laid=${laid}`)
    }
    both.a.lay(null)
    const overlay = only === null ? chosen : 'depth'
    if (overlay === 'none' || !result) return both.b.lay(null)
    const map = await look(`${overlay}-${result}`)
    const still = view.overlay === chosen && view.only === only && store.step === step
    if (still) both.b.lay(map, only === null ? undefined : `only=${only}`)
  },
)

/** Brings a place to the middle, enlarged. */
function lookAt(x: number, y: number) {
  leading.value?.lookAt(x, y, 2)
}
defineExpose({ lookAt })

watch(
  () => pairs.frame,
  async (frame) => {
    panes.value?.a.link(!frame)
    await nextTick()
    if (frame) fit()
  },
)

/** Shows all of the picture; while pairs are set the two sides are moved one by one. */
function fit() {
  leading.value?.fit()
  if (pairs.frame) panes.value?.b.fit()
}

const leading = computed(() => (seesA.value ? panes.value?.a : panes.value?.b))

let blink = 0
watch(mode, (now) => {
  clearInterval(blink)
  blinkB.value = false
  if (now === 'blink') blink = window.setInterval(() => (blinkB.value = !blinkB.value), 700)
})

function clicked(side: 'a' | 'b', x: number, y: number): boolean {
  if (pairs.frame) {
    pairs.set(side, x, y)
    return true
  }
  if (view.picking) {
    view.picking = false
    void pickGrey(x, y)
    return true
  }
  if (!view.pinning || !size.value) return false
  view.pinning = false
  void pins.pin(x, y, size.value)
  return true
}

/** What lies there in the frame on show, or in the reference frame, shall be grey. */
async function pickGrey(x: number, y: number) {
  const frame = frameOf(store.a) ?? frameOf(store.b) ?? store.reference?.id
  if (!frame) return
  const picked = await store.attempt(() => api.grey(frame, Math.round(x), Math.round(y)))
  if (!picked) return
  await store.setPlan((plan) => {
    plan.prepare.white_balance = { by: 'neutral', grey: picked.grey }
  })
}

function drag(event: PointerEvent) {
  const handle = event.currentTarget as HTMLElement
  handle.setPointerCapture(event.pointerId)
  const move = (e: PointerEvent) => {
    const bounds = box.value!.getBoundingClientRect()
    view.cut = Math.min(0.98, Math.max(0.02, (e.clientX - bounds.left) / bounds.width))
  }
  handle.addEventListener('pointermove', move)
  handle.addEventListener('pointerup', () => handle.removeEventListener('pointermove', move), {
    once: true,
  })
}

function nudge(event: KeyboardEvent) {
  const step = event.key === 'ArrowLeft' ? -0.02 : event.key === 'ArrowRight' ? 0.02 : 0
  if (!step) return
  event.preventDefault()
  view.cut = Math.min(0.98, Math.max(0.02, view.cut + step))
}

function key(event: KeyboardEvent) {
  if (isTyped(event)) return
  const wanted = modes.find((m) => m.key === event.key)
  if (wanted) view.mode = wanted.value
  else if (event.key === 'x') view.side = view.side === 'a' ? 'b' : 'a'
  else if (event.key === 'f') fit()
  else if (event.key === '1' || event.key === '3') leading.value?.zoomTo(Number(event.key))
  else if (event.key === 'Escape') view.pinning = view.picking = false
  else if (event.key === 'p' && pointer.over && leading.value && size.value) {
    const at = leading.value.under(pointer.x, pointer.y)
    void pins.pin(at.x, at.y, size.value)
  }
}

onMounted(() => {
  const report = (pane: 'a' | 'b') => (now: View) => {
    if ((pane === 'a') === seesA.value) place.value = now
    places.value[pane] = now
  }
  const a = new Pane(elementA.value!, report('a'), (x, y) => clicked('a', x, y))
  const b = new Pane(elementB.value!, report('b'), (x, y) => clicked('b', x, y))
  a.pair(b)
  panes.value = { a, b }
  window.addEventListener('keydown', key)
})
onUnmounted(() => {
  clearInterval(blink)
  window.removeEventListener('keydown', key)
  panes.value?.a.destroy()
  panes.value?.b.destroy()
})

/** Places set by hand, on the screen. */
const marks = computed(() =>
  pairs.frame
    ? pairs.pairs.flatMap((pair, i) =>
        (['a', 'b'] as const).flatMap((side) => {
          const at = side === 'a' ? pair.frame : pair.reference
          const { left, top, scale } = places.value[side]
          const aside = side === 'b' ? (box.value?.clientWidth ?? 0) / 2 : 0
          return at ? [{ i, x: aside + left + at.x * scale, y: top + at.y * scale }] : []
        }),
      )
    : [],
)
const offsets = computed(() => (mode.value === 'beside' ? [0, 50] : [0]))
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
    <div class="absolute inset-0 isolate">
      <div
        ref="elementA"
        class="absolute inset-y-0 left-0"
        :style="styleA"
        :class="(view.pinning || view.picking || pairs.frame) && 'cursor-crosshair'"
        data-test="pane-a"
      />
      <div
        ref="elementB"
        class="absolute inset-y-0"
        :style="styleB"
        :class="(view.pinning || view.picking || pairs.frame) && 'cursor-crosshair'"
        data-test="pane-b"
      />
    </div>

    <PaintLayer
      v-if="hand"
      :hand="hand"
      :style="{ right: mode === 'beside' ? '50%' : '0' }"
      :place="place"
      @wheel.prevent="leading?.wheel($event)"
    />
    <ResidualArrows v-if="store.step === 'align' && !pairs.frame" :place="place" />
    <span
      v-for="(mark, k) in marks"
      :key="k"
      class="pointer-events-none absolute z-10 -mt-[9px] -ml-[9px] h-[18px] w-[18px] rounded-full border-2 border-jade text-center text-[11px] leading-[14px] font-semibold text-white"
      style="text-shadow: 0 0 3px #000"
      :style="{ left: `${mark.x}px`, top: `${mark.y}px` }"
      data-test="mark"
    >
      {{ mark.i + 1 }}
    </span>

    <template v-for="offset in pairs.frame ? [] : offsets" :key="offset">
      <div
        class="pointer-events-none absolute inset-y-0 overflow-hidden"
        :style="{ left: `${offset}%`, width: mode === 'beside' ? '50%' : '100%' }"
      >
        <div
          v-for="probe in store.shoot?.probes ?? []"
          :key="probe.id"
          class="absolute border-[1.5px] border-white outline outline-black/60"
          :style="{
            left: `${place.left + (probe.x - 0.5) * place.scale}px`,
            top: `${place.top + (probe.y - 0.5) * place.scale}px`,
            width: `${Math.max(9, probe.size * place.scale)}px`,
            height: `${Math.max(9, probe.size * place.scale)}px`,
          }"
        >
          <span
            class="absolute -top-[20px] left-0 text-[11.5px] whitespace-nowrap"
            style="
              text-shadow:
                0 0 3px #000,
                0 0 3px #000;
            "
          >
            {{ probe.name }}
          </span>
        </div>
      </div>
    </template>

    <div
      v-if="mode === 'beside'"
      class="pointer-events-none absolute inset-y-0 left-1/2 w-px bg-rule"
    />
    <div
      v-if="mode === 'split'"
      class="group absolute inset-y-0 z-10 -ml-[10px] w-[20px] cursor-ew-resize touch-none"
      :style="{ left: `${view.cut * 100}%` }"
      role="slider"
      tabindex="0"
      aria-label="Split"
      :aria-valuenow="Math.round(view.cut * 100)"
      aria-valuemin="0"
      aria-valuemax="100"
      data-test="split-handle"
      @pointerdown="drag"
      @keydown="nudge"
    >
      <div class="mx-auto h-full w-px bg-white/80" />
      <div
        class="absolute top-1/2 left-0 -mt-[17px] h-[34px] w-[20px] rounded-[10px] border border-white/80 bg-black/60"
      />
    </div>

    <SourcePicker
      v-if="seesA || mode === 'difference'"
      v-model="store.a"
      side="A"
      class="absolute top-3 left-3 z-20"
      :class="mode === 'blink' && blinkB && 'opacity-50'"
    />
    <SourcePicker
      v-if="infoB && (seesB || mode === 'blink')"
      v-model="store.b"
      side="B"
      class="absolute top-3 right-3 z-20"
      :class="mode === 'blink' && !blinkB && 'opacity-50'"
    />

    <p v-if="problem" class="absolute inset-x-0 top-1/3 px-8 text-center text-rose">
      {{ problem }}
    </p>
    <p v-else-if="!infoA && !infoB" class="absolute inset-x-0 top-1/3 text-center text-dim">
      Frames are shown here as soon as there are some.
    </p>
    <p
      v-if="mode === 'difference'"
      class="pointer-events-none absolute inset-x-0 top-3 z-10 text-center"
    >
      <span class="rounded-md bg-black/80 px-3 py-1.5"
        >How far A and B lie apart, six times as bright</span
      >
    </p>
    <p v-if="pairs.frame" class="pointer-events-none absolute inset-x-0 top-14 z-20 text-center">
      <span class="rounded-md bg-black/80 px-3 py-1.5"
        >Click the same detail on the left and on the right</span
      >
    </p>
    <p v-if="view.pinning || view.picking" class="absolute inset-x-0 top-14 z-20 text-center">
      <span class="rounded-md bg-black/80 px-3 py-1.5">{{
        view.pinning
          ? `Click the patch to measure, ${store.rules.has_planes ? 'a hair' : 'plain sky'} for instance`
          : 'Click what shall be grey: a stone, a cloud, bare ground'
      }}</span>
    </p>

    <ViewBars :mode :scale="place.scale" @fit="fit" @zoom="(scale) => leading?.zoomTo(scale)" />
  </section>
</template>
