<script setup lang="ts" generic="T extends string">
import { RadioGroup, RadioGroupLabel, RadioGroupOption } from '@headlessui/vue'

defineProps<{
  label: string
  options: { value: T; text: string; hint?: string }[]
  /** Options side by side; all of them unless given. */
  columns?: number
}>()
const model = defineModel<T>({ required: true })
</script>

<template>
  <RadioGroup v-model="model">
    <RadioGroupLabel as="span" class="sr-only">{{ label }}</RadioGroupLabel>
    <div
      class="grid gap-1"
      :style="`grid-template-columns: repeat(${columns ?? options.length}, 1fr)`"
    >
      <RadioGroupOption
        v-for="option in options"
        :key="option.value"
        v-slot="{ checked }"
        :value="option.value"
        as="template"
      >
        <button
          type="button"
          class="rounded-md border px-1 py-1.5 text-center"
          :class="checked ? 'border-jade bg-jade-deep text-ink' : 'border-edge text-dim'"
          :title="option.hint"
          :data-test="`${label.toLowerCase()}-${option.value}`"
        >
          {{ option.text }}
        </button>
      </RadioGroupOption>
    </div>
  </RadioGroup>
</template>
