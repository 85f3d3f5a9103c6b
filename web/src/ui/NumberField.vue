<script setup lang="ts">
// A number that is typed; the keys up and down go by steps, and with Shift by a tenth of one.
import { computed } from 'vue'
import { nearest, stepsOf, textOf, valueIn } from './sliderText'

const KEYS = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }

const props = defineProps<{
  label: string
  unit: string
  min: number
  max: number
  step: number
  digits: number
  value: number
}>()
const emit = defineEmits<{ change: [value: number] }>()
const told = (value: number) => textOf(value, props.digits, props.unit, props.min < 0)
const text = computed(() => told(props.value))

function set(value: number) {
  const now = nearest(value, props.step / 10, props.min, props.max)
  if (now !== props.value) emit('change', now)
  return now
}

function type(event: Event) {
  const field = event.target as HTMLInputElement
  field.value = told(set(valueIn(field.value, props.unit) ?? props.value))
}

function onKey(event: KeyboardEvent) {
  const steps = stepsOf(event, KEYS)
  if (!steps) return
  event.preventDefault()
  set(props.value + steps * props.step)
}
</script>

<template>
  <input
    type="text"
    inputmode="decimal"
    autocomplete="off"
    class="num min-h-6 pointer-coarse:min-h-10 w-19 shrink-0 rounded border border-transparent bg-well px-1 text-right text-small text-ink hover:border-edge focus:border-edge"
    :value="text"
    :aria-label="`${label}, as a number`"
    @change="type"
    @keydown="onKey"
    @focus="($event.target as HTMLInputElement).select()"
  />
</template>
