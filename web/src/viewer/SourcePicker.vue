<script setup lang="ts">
import { Listbox, ListboxButton, ListboxOption, ListboxOptions } from '@headlessui/vue'
import { ChevronDown } from '@lucide/vue'
import { computed } from 'vue'
import { resultHint } from '../steps/finish/finish'
import { resultName, roleNames } from '../domain/units'
import { useShoot } from '../state/shoot'

const props = defineProps<{ side: 'A' | 'B' }>()
const model = defineModel<string | null>({ required: true })
const store = useShoot()

const sources = computed(() => [
  ...store.results.map((r) => ({
    value: `result-${r.id}`,
    text: resultName(r),
    hint: resultHint(r),
  })),
  ...[...store.lights, ...store.calibration].map((f) => ({
    value: `frame-${f.id}`,
    text: f.name,
    hint:
      f.role !== 'light'
        ? roleNames[f.role]
        : f.id === store.reference?.id
          ? 'reference'
          : 'one exposure',
  })),
])
const chosen = computed(() => {
  const placed = model.value?.match(/^placed-\d+-(\d+)$/)?.[1]
  const frame = store.shoot?.frames.find((f) => f.id === Number(placed))
  if (frame) return { text: frame.name, hint: 'aligned' }
  const [way, id] = model.value?.split('-') ?? []
  const own = sources.value.find((s) => s.value === `frame-${id}`)
  if (own && way === 'calibrated') return { text: own.text, hint: 'calibrated' }
  if (own && way === 'original') return { text: own.text, hint: 'original' }
  return sources.value.find((s) => s.value === model.value)
})
</script>

<template>
  <Listbox v-model="model" as="div">
    <ListboxButton
      class="flex items-center gap-1.5 rounded-[7px] bg-black/80 px-2.5 py-1 text-small"
      :aria-label="`Side ${side}: ${chosen?.text ?? 'nothing'}`"
      :data-test="`pick-${side.toLowerCase()}`"
    >
      <b class="font-semibold">{{ props.side }}</b>
      <span>{{ chosen?.text ?? 'choose' }}</span>
      <span class="text-dim">{{ chosen?.hint }}</span>
      <ChevronDown :size="13" class="text-dim" />
    </ListboxButton>
    <ListboxOptions
      class="absolute mt-1 max-h-80 w-57.5 overflow-auto rounded-lg border border-rule bg-raised p-1 shadow-lg shadow-black/50"
      :class="side === 'B' && 'right-0'"
    >
      <ListboxOption
        v-for="source in sources"
        :key="source.value"
        v-slot="{ active, selected }"
        :value="source.value"
        as="template"
      >
        <li
          class="flex cursor-pointer justify-between rounded px-2.5 py-1"
          :class="active && 'bg-rule'"
        >
          <span :class="selected && 'text-jade'">{{ source.text }}</span>
          <span class="text-dim">{{ source.hint }}</span>
        </li>
      </ListboxOption>
    </ListboxOptions>
  </Listbox>
</template>
