<script setup lang="ts">
// A number of the plan that is seen in the picture while it is dragged.
import { computed, ref } from 'vue'
import type { Plan } from '../api/types'
import { useShoot } from '../state/shoot'

const props = defineProps<{
  label: string
  unit: string
  hint?: string
  min: number
  max: number
  step: number
  digits?: number
  value: number
  test: string
  set: (plan: Plan, value: number) => void
}>()
const store = useShoot()

/** What is dragged to, while it is dragged. */
const dragged = ref<number | null>(null)
/** Names the drag, so that it is undone as one. */
let gesture = ''
let timer = 0
const shown = computed(() => dragged.value ?? props.value)
const text = computed(() => {
  const digits = props.digits ?? 0
  const sign = props.min < 0 && shown.value > 0 ? '+' : ''
  return `${sign}${shown.value.toFixed(digits).replace('-', '−')}${props.unit}`
})

function input(event: Event) {
  dragged.value = Number((event.target as HTMLInputElement).value)
  gesture ||= `${props.test} ${Date.now()}`
  // The picture follows as fast as the server answers, and not every pixel of the way.
  if (!timer) timer = window.setTimeout(follow, 60)
}

function follow() {
  timer = 0
  const value = dragged.value
  if (value !== null) void amend(value)
}

function change() {
  clearTimeout(timer)
  timer = 0
  const value = dragged.value
  if (value === null) return
  void amend(value)
  void store.settle()
  dragged.value = null
  gesture = ''
}

function amend(value: number) {
  return store.setPlan((plan) => props.set(plan, value), props.label.toLowerCase(), gesture)
}
</script>

<template>
  <label class="block pb-2" :title="hint">
    <span class="flex justify-between text-dim"
      ><span>{{ label }}</span
      ><span class="num text-ink" :data-test="`${test}-value`">{{ text }}</span></span
    >
    <input
      type="range"
      class="w-full accent-[#5cc8a1]"
      :min="min"
      :max="max"
      :step="step"
      :value="shown"
      :data-test="test"
      @input="input"
      @change="change"
    />
  </label>
</template>
