<script setup lang="ts">
// One measure of the stacked frames over the time, with a handle that sets a limit.
import { computed, ref } from 'vue'
import { useShoot } from '../../state/shoot'
import { useMarks } from '../../domain/marks'
import { type MeasureName, measure, measured, seconds } from '../../domain/measures'
import { useLimit } from './limit'

const props = defineProps<{ shows: MeasureName }>()
const emit = defineEmits<{ pick: [id: number, event: MouseEvent] }>()
const store = useShoot()
const { doubt } = useMarks()
const box = ref<HTMLElement>()

const what = computed(() => measure(props.shows))
const frames = computed(() => store.stack.filter((f) => measured(f, props.shows) !== null))
const values = computed(() => frames.value.map((f) => measured(f, props.shows)!))
const range = computed(() => {
  const [low, high] = [Math.min(...values.value), Math.max(...values.value)]
  const room = Math.max((high - low) * 0.12, Math.abs(high) * 0.02, 1e-9)
  return { low: low - room, high: high + room }
})
const times = computed(() => seconds(frames.value))

/** Place of a value from the top, as a share of the height. */
function down(value: number): number {
  return (range.value.high - value) / (range.value.high - range.value.low)
}

const dots = computed(() => {
  const last = times.value ? Math.max(...times.value, 1) : Math.max(frames.value.length - 1, 1)
  return frames.value.map((frame, i) => ({
    frame,
    across: (times.value?.[i] ?? i) / last,
    down: down(values.value[i]!),
    title: `${frame.name}: ${what.value.told(values.value[i]!)}`,
  }))
})

const ends = computed(() => {
  const [first, last] = [frames.value[0], frames.value.at(-1)]
  if (!times.value) return [first?.name ?? '', last?.name ?? '']
  return [first, last].map((f) => f?.facts?.taken?.slice(11) ?? '')
})

const { limit, worse, out, dragging, hold, drag, nudge } = useLimit({
  frames,
  shows: () => props.shows,
  range,
  box,
})

function leaveOut() {
  void store.leaveOut([...out.value], true)
}
</script>

<template>
  <p v-if="!frames.length" class="mt-1.5 flex h-29.5 items-center text-dim">
    No {{ what.label }} measured yet in the frames that are stacked.
  </p>
  <div v-else class="mt-1.5 flex h-29.5 gap-3" data-test="plot">
    <div class="flex w-14.5 shrink-0 flex-col justify-between pb-4 text-right">
      <span class="num text-tiny text-faint">{{ what.told(range.high) }}</span>
      <span class="num text-tiny text-faint">{{ what.told(Math.max(range.low, 0)) }}</span>
    </div>
    <div class="flex min-w-0 flex-1 flex-col">
      <div ref="box" class="relative flex-1 rounded-md bg-well">
        <button
          v-for="dot in dots"
          :key="dot.frame.id"
          class="absolute -m-1.25 h-2.5 w-2.5 rounded-full border-2"
          :class="[
            dot.frame.left_out
              ? 'border-faint bg-well'
              : out.has(dot.frame.id)
                ? 'border-amber bg-well'
                : doubt(dot.frame)
                  ? 'border-amber bg-amber'
                  : dot.frame.id === store.reference?.id
                    ? 'border-jade bg-jade'
                    : 'border-dim bg-dim',
            dot.frame.id === store.selected && 'ring-2 ring-ink',
          ]"
          :style="`left: calc(8px + (100% - 16px) * ${dot.across}); top: ${dot.down * 100}%`"
          :title="dot.title"
          :aria-label="dot.title"
          :data-frame="dot.frame.id"
          @click="emit('pick', dot.frame.id, $event)"
        />
        <div
          class="absolute inset-x-0 -my-1.75 flex h-3.5 cursor-ns-resize touch-none items-center"
          :style="`top: ${down(limit) * 100}%`"
          role="slider"
          tabindex="0"
          :aria-label="`Limit for ${what.label}`"
          aria-orientation="vertical"
          :aria-valuemin="range.low"
          :aria-valuemax="range.high"
          :aria-valuenow="limit"
          :aria-valuetext="what.told(limit)"
          data-test="limit"
          @pointerdown="hold"
          @pointermove="drag"
          @pointerup="dragging = false"
          @keydown="nudge"
        >
          <span class="w-full border-t border-dashed border-amber" />
          <span class="num shrink-0 rounded bg-amber px-1.5 text-tiny text-well">
            {{ what.told(limit) }}
          </span>
        </div>
      </div>
      <div class="num flex h-4 justify-between px-1 text-tiny text-faint">
        <span>{{ ends[0] }}</span><span>{{ ends[1] }}</span>
      </div>
    </div>
    <div class="w-37.5 shrink-0 text-small text-dim">
      <p v-if="!worse.length">
        Drag the line: frames {{ what.worse === 'low' ? 'below' : 'above' }} it can be left out
        together.
      </p>
      <template v-else>
        <p>
          <b class="num text-amber">{{ worse.length }}</b>
          {{ worse.length === 1 ? 'frame is' : 'frames are' }}
          {{ what.worse === 'low' ? 'below' : 'above' }} {{ what.told(limit) }}.
        </p>
        <button class="button mt-1.5 w-full" data-test="leave-out-beyond" @click="leaveOut">
          Leave out {{ worse.length === 1 ? 'it' : `all ${worse.length}` }}
        </button>
      </template>
    </div>
  </div>
</template>
