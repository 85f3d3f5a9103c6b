<script setup lang="ts">
// Where each frame of a sweep is sharp: its plane, and how much of the picture lies there.
import { computed, onUnmounted } from 'vue'
import type { FocusReport } from '../../../api/types'
import { whole } from '../../../domain/units'
import { useShoot } from '../../../state/shoot'
import { isAbout } from '../../../domain/reports'
import { useView } from '../../../state/view'
import { gaps, grades, planes, type Plane } from './focus'

const props = defineProps<{ report: FocusReport; merged?: string[] }>()
const store = useShoot()
const view = useView()

const WIDE = 240
const TALL = 84
const FOOT = TALL - 14
const all = computed(() => planes(props.report))
const last = computed(() => all.value.at(-1)?.at || 1)
const most = computed(() => Math.max(...props.report.shares, 1e-6))
const x = (at: number) => 6 + (at / last.value) * (WIDE - 12)
const tall = (share: number) => Math.max(1.5, (share / most.value) * (FOOT - 8))
/** No wider than the closest planes allow. */
const wide = computed(() => {
  const steps = props.report.steps.filter((step) => !step.double).map((step) => step.length)
  return Math.min(12, Math.max(3, (Math.min(...steps, 1) / last.value) * (WIDE - 12) - 2))
})

/** Points out what of the picture comes from a frame. */
function point(id: string | null) {
  const place = id === null ? -1 : (props.merged?.indexOf(id) ?? -1)
  view.only = place < 0 ? null : place
}

onUnmounted(() => point(null))

const told = (plane: Plane) => `${plane.file}: sharpest in ${whole(plane.share)} of the picture`

function show({ id, file }: Plane) {
  const content = id === file ? '' : id
  const frame = store.shoot?.frames.find((f) => isAbout({ content, file }, f))
  if (frame) store.a = `frame-${frame.id}`
}
</script>

<template>
  <figure data-test="sweep-plot">
    <svg
      :viewBox="`0 0 ${WIDE} ${TALL}`"
      class="w-full"
      role="group"
      aria-label="Planes of the sweep, from near to far"
    >
      <rect
        v-for="[from, to] in gaps(report)"
        :key="from"
        :x="x(from)"
        y="2"
        :width="x(to) - x(from)"
        :height="FOOT - 2"
        fill="#e0b05733"
        data-test="sweep-gap"
      >
        <title>A plane is missing here</title>
      </rect>
      <path :d="`M0 ${FOOT} H${WIDE}`" stroke="#383735" />
      <rect
        v-for="plane in all"
        :key="plane.id"
        :x="x(plane.at) - wide / 2"
        :y="FOOT - tall(plane.share)"
        :width="wide"
        :height="tall(plane.share)"
        fill="#b9b7b1"
        class="cursor-pointer hover:fill-jade focus-visible:fill-jade"
        role="button"
        tabindex="0"
        :aria-label="told(plane)"
        data-test="sweep-plane"
        @click="show(plane)"
        @keydown.enter.prevent="show(plane)"
        @focus="point(plane.id)"
        @blur="point(null)"
        @pointerenter="point(plane.id)"
        @pointerleave="point(null)"
      >
        <title>{{ told(plane) }}</title>
      </rect>
      <defs>
        <linearGradient id="grades">
          <stop
            v-for="(grade, i) in grades"
            :key="grade"
            :offset="i / (grades.length - 1)"
            :stop-color="grade"
          />
        </linearGradient>
      </defs>
      <rect x="0" :y="FOOT + 4" :width="WIDE" height="6" rx="3" fill="url(#grades)" />
    </svg>
    <figcaption class="num mt-1 flex justify-between text-small text-dim">
      <span>{{ all[0]?.file }} · near</span><span>far · {{ all.at(-1)?.file }}</span>
    </figcaption>
  </figure>
</template>
