<script setup lang="ts">
// A slider with its value as a number to type, its usual value marked, and a way back to it. Arrow keys
// go by steps, and with Shift by a tenth of one.
import { RotateCcw } from '@lucide/vue'
import { computed, useId } from 'vue'
import HelpText from './HelpText.vue'
import NumberField from './NumberField.vue'
import type { Slider } from './slider'
import { nearest, stepsOf, textOf } from './sliderText'

const KEYS = {
  ArrowUp: 1,
  ArrowRight: 1,
  ArrowDown: -1,
  ArrowLeft: -1,
  PageUp: 10,
  PageDown: -10,
}

const props = withDefaults(
  defineProps<
    Slider & {
      /** Lies in one row, without its label. */
      flat?: boolean
    }
  >(),
  { unit: '', hint: undefined, digits: 0, usual: 0 },
)
/** `input` while it is dragged, `change` at the end. */
const emit = defineEmits<{ input: [value: number]; change: [value: number] }>()
const id = useId()

const told = (value: number) => textOf(value, props.digits, props.unit, props.min < 0)
const field = computed(() => {
  const { label, unit, min, max, step, digits, value } = props
  return { label, unit, min, max, step, digits, value }
})
const mark = computed(() => {
  const { usual, min, max } = props
  return usual === null || usual < min || usual > max ? null : (usual - min) / (max - min)
})

/** Where the hand has drawn it to, by whole steps. */
function drawn(event: Event) {
  const range = event.target as HTMLInputElement
  const value = nearest(Number(range.value), props.step, props.min, props.max)
  range.value = String(value)
  return value
}

function onKey(event: KeyboardEvent) {
  const steps = stepsOf(event, KEYS)
  if (!steps) return
  event.preventDefault()
  const value = nearest(props.value + steps * props.step, props.step / 10, props.min, props.max)
  if (value !== props.value) emit('change', value)
}
</script>

<template>
  <div :class="flat ? 'flex items-center gap-1.5' : 'pb-1'">
    <HelpText v-if="!flat" :about="label" :text="hint">
      <template #label>
        <label :for="id" class="min-w-0 text-dim">{{ label }}</label>
      </template>
      <span class="ml-auto" />
      <button
        v-if="usual !== null && value !== usual"
        type="button"
        class="rounded p-1.5 text-faint hover:text-ink"
        :aria-label="`Reset ${label} to ${told(usual)}`"
        :title="`Reset to ${told(usual)}`"
        :data-test="`${test}-reset`"
        @click="emit('change', usual)"
      >
        <RotateCcw :size="12" />
      </button>
      <NumberField v-bind="field" :data-test="`${test}-value`" @change="emit('change', $event)" />
    </HelpText>
    <div class="range relative flex items-center" :class="flat ? 'w-16' : 'w-full'">
      <input
        :id="id"
        type="range"
        class="h-6 w-full accent-jade"
        step="any"
        :min="min"
        :max="max"
        :value="value"
        :aria-label="flat ? label : undefined"
        :aria-valuetext="told(value)"
        :data-test="test"
        @input="emit('input', drawn($event))"
        @change="emit('change', drawn($event))"
        @keydown="onKey"
      />
      <span
        v-if="mark !== null"
        class="pointer-events-none absolute top-[calc(50%+6px)] h-1 w-px bg-dim"
        :style="`left: calc(8px + (100% - 16px) * ${mark})`"
      />
    </div>
    <NumberField
      v-if="flat"
      v-bind="field"
      class="max-[1180px]:hidden"
      :data-test="`${test}-value`"
      @change="emit('change', $event)"
    />
  </div>
</template>
