<script setup lang="ts">
import { computed, onUnmounted } from 'vue'
import type { AlignMode, FrameReport, SceneModel } from '../api/types'
import Segmented from '../parts/Segmented.vue'
import { stageOf } from '../parts/stages'
import { useShoot } from '../shoot/store'
import { idOf, isAbout, isReference } from '../shoot/told'
import { useView } from '../viewer/view'
import HandSheet from './HandSheet.vue'
import { usePairs } from './pairs'

const store = useShoot()
const view = useView()
const pairs = usePairs()

const mode = computed<AlignMode>({
  get: () => store.shoot!.plan.align.mode,
  set: (mode) => void store.setPlan((plan) => (plan.align.mode = mode)),
})
const model = computed<SceneModel>({
  get: () => store.shoot!.plan.align.model,
  set: (model) => void store.setPlan((plan) => (plan.align.model = model)),
})
const modes = computed(() =>
  [
    { value: 'stars' as const, text: 'Stars', hint: 'While the sky turns' },
    { value: 'scene' as const, text: 'Scene', hint: 'Handheld, or bumped' },
    { value: 'none' as const, text: 'Not at all', hint: 'Tripod, still scene' },
  ].filter((one) => store.rules.align.includes(one.value)),
)
const hints: Record<AlignMode, string> = {
  stars: 'The sky becomes sharp; what stands on the ground blurs a little.',
  scene: 'For a camera held by hand or bumped: details of the whole picture are matched.',
  none: 'Frames lie on each other as they are: tripod, star trails.',
}

const report = computed(() => store.shown?.report)
const matched = computed(() => store.shown && store.shown.plan.align.mode !== 'none')

/** Angle of view across the picture's width, from the focal length that was found. */
const lens = computed(() => {
  const found = stageOf(report.value, 'align')?.lens
  if (!found) return null
  const across = 2 * Math.atan((found.centre[0] + 0.5) / found.focal_px)
  return `${((across * 180) / Math.PI).toFixed(0)}° across, ${(found.k1 * 100).toFixed(1)} % bend`
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

/** The chosen frame against the reference frame, as it came or as it was placed. */
function look(placed: boolean) {
  const result = store.shown
  if (!chosen.value || !result) return
  store.a = `frame-${result.reference_id}`
  store.b = placed ? `placed-${result.id}-${chosen.value.id}` : `frame-${chosen.value.id}`
  if (view.mode !== 'difference') view.mode = 'blink'
}

// Leaving the step leaves no half-set pairs behind.
onUnmounted(pairs.end)
</script>

<template>
  <HandSheet v-if="pairs.frame" />
  <template v-else>
    <h2 class="text-[15px] font-semibold">Align</h2>
    <p class="mb-3 text-dim">Every frame is brought onto the reference frame.</p>
    <Segmented v-model="mode" label="Align" :options="modes" />
    <p class="py-2.5 text-dim">{{ hints[mode] }}</p>
    <label
      v-if="mode === 'scene' && !store.rules.has_planes"
      class="flex items-center justify-between gap-3 pb-3 text-dim"
    >
      <span>Motion</span>
      <select v-model="model" class="field !w-auto !py-1" data-test="model">
        <option value="auto">the simplest that fits</option>
        <option value="shift">shift only</option>
        <option value="similarity">shift, turn, scale</option>
        <option value="homography">any view of a plane</option>
      </select>
    </label>
    <div v-if="store.rules.chooses_reference" class="section">
      <h3>Reference frame</h3>
      <p class="flex justify-between text-dim">
        <span>{{ store.shoot?.reference_id ? 'chosen' : 'proposed' }}</span>
        <b class="num font-medium text-ink">{{ store.reference?.name ?? 'none' }}</b>
      </p>
      <p
        v-if="!store.shoot?.reference_id && store.shoot?.proposed_reference"
        class="pt-1 text-dim"
        data-test="reference-reason"
      >
        {{ store.shoot.proposed_reference.reason }}
      </p>
    </div>
    <div v-if="report && matched" class="section">
      <h3>Found in the result on show</h3>
      <p v-if="lens" class="flex justify-between text-dim">
        <span>Lens</span><b class="num font-medium text-ink">{{ lens }}</b>
      </p>
      <table class="mt-2 w-full text-[12px]" data-test="verdicts">
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
            <td class="max-w-[90px] truncate py-[1px]" :title="frame.file">{{ frame.file }}</td>
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
          <button class="button !px-1" data-test="look-before" @click="look(false)">
            As it came
          </button>
          <button
            class="button !px-1"
            :disabled="!verdict.used"
            data-test="look-after"
            @click="look(true)"
          >
            As placed
          </button>
          <button class="button !px-1" data-test="by-hand" @click="pairs.begin(chosen)">
            By hand
          </button>
        </div>
      </div>
      <p v-else class="mt-3 text-[12px] text-faint">
        Choose a frame to see what is left after aligning, before and after, or to place it by hand.
      </p>
    </div>
  </template>
</template>
