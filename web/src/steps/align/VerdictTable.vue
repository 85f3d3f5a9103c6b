<script setup lang="ts">
// What was found for each frame of the result on show, and the chosen one against the reference frame.
import { computed } from 'vue'
import type { FrameReport } from '../../api/types'
import { idOf, isAbout, isReference } from '../../domain/reports'
import { stageOf } from '../../domain/stages'
import { useShoot } from '../../state/shoot'
import { useView } from '../../state/view'
import { usePairs } from './pairs'

const store = useShoot()
const view = useView()
const pairs = usePairs()

const report = computed(() => store.shown?.report)
const matched = computed(() => store.shown && store.shown.plan.align.mode !== 'none')

/** Angle of view across the picture's width, from the focal length that was found. */
const lens = computed(() => {
  const found = stageOf(report.value, 'align')?.lens
  if (!found) return null
  const across = 2 * Math.atan((found.centre[0] + 0.5) / found.focal_px)
  return `${((across * 180) / Math.PI).toFixed(0)}° across, ${(found.k1 * 100).toFixed(1)} % distortion`
})

function shift(grid: [number, number, number, number][]): number {
  return Math.max(0, ...grid.map(([x, y, toX, toY]) => Math.hypot(toX - x, toY - y)))
}

const chosen = computed(() => store.shoot?.frames.find((f) => f.id === store.selected))
const verdict = computed(() => {
  const one = chosen.value
  return one && report.value?.frames.find((told) => isAbout(told, one))
})

function choose(one: FrameReport) {
  const frame = store.shoot?.frames.find((f) => isAbout(one, f))
  if (!frame) return
  store.selected = frame.id
  store.a = `frame-${frame.id}`
}

/** The chosen frame against the reference frame, unaligned or aligned. */
function look(placed: boolean) {
  const result = store.shown
  if (!chosen.value || !result) return
  store.a = `frame-${result.reference_id}`
  store.b = placed ? `placed-${result.id}-${chosen.value.id}` : `frame-${chosen.value.id}`
  if (view.mode !== 'difference') view.mode = 'blink'
}
</script>

<template>
  <div v-if="report && matched" class="section">
    <h3>Found in the result on show</h3>
    <p v-if="lens" class="flex justify-between gap-3 text-dim">
      <span>Lens</span><b class="num text-right font-medium text-ink">{{ lens }}</b>
    </p>
    <table class="mt-2 w-full text-small" data-test="verdicts">
      <thead class="text-left text-faint">
        <tr>
          <th class="font-normal">frame</th>
          <th class="text-right font-normal">moved</th>
          <th class="text-right font-normal">matched</th>
          <th class="text-right font-normal">rms</th>
        </tr>
      </thead>
      <tbody class="num">
        <tr
          v-for="frame in report.frames"
          :key="idOf(frame)"
          class="cursor-pointer hover:bg-raised"
          :class="[!frame.used && 'text-amber', frame === verdict && 'bg-raised']"
          :data-test="`verdict-${frame.file}`"
          @click="choose(frame)"
        >
          <td class="max-w-22.5 py-0.25">
            <button
              class="block min-h-6 w-full truncate text-left pointer-coarse:min-h-10"
              :title="frame.file"
              :aria-pressed="frame === verdict"
              @click.stop="choose(frame)"
            >
              {{ frame.file }}
            </button>
          </td>
          <template v-if="frame.used">
            <td class="text-right">{{ shift(frame.grid).toFixed(1) }} px</td>
            <td class="text-right">{{ frame.by_hand ? 'by hand' : frame.matched }}</td>
            <td class="text-right">
              {{
                isReference(frame, report)
                  ? 'ref.'
                  : frame.rms_px === null
                    ? '–'
                    : `${frame.rms_px.toFixed(2)} px`
              }}
            </td>
          </template>
          <td v-else colspan="3" class="font-sans whitespace-normal">{{ frame.reason }}</td>
        </tr>
      </tbody>
    </table>
    <div v-if="chosen && verdict && !isReference(verdict, report)" class="mt-3">
      <p class="mb-1.5 text-dim">
        <span class="num text-ink">{{ chosen.name }}</span> against the reference frame
      </p>
      <div class="grid grid-cols-3 gap-1">
        <button class="button !px-1" data-test="look-before" @click="look(false)">Unaligned</button>
        <button
          class="button !px-1"
          :disabled="!verdict.used"
          data-test="look-after"
          @click="look(true)"
        >
          Aligned
        </button>
        <button class="button !px-1" data-test="by-hand" @click="pairs.begin(chosen)">
          By hand
        </button>
      </div>
    </div>
    <p v-else class="mt-3 text-small text-faint">
      Choose a frame to see what is left after aligning, before and after, or to place it by hand.
    </p>
  </div>
</template>
