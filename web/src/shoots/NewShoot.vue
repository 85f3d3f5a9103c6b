<script setup lang="ts">
import { RadioGroup, RadioGroupLabel, RadioGroupOption } from '@headlessui/vue'
import { ref, watch } from 'vue'
import type { Kind } from '../api/types'
import Sheet from '../parts/Sheet.vue'

const props = defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: []; add: [name: string, kind: Kind] }>()

const name = ref('')
const kind = ref<Kind>('night-sky')
const kinds: { value: Kind; text: string; hint: string }[] = [
  {
    value: 'night-sky',
    text: 'Night sky',
    hint: 'Stars over a landscape from a tripod; frames are aligned on the stars.',
  },
  {
    value: 'star-trails',
    text: 'Star trails',
    hint: 'Many frames from a tripod; the lightest of them draw the way of the stars.',
  },
  {
    value: 'low-light-burst',
    text: 'Low-light burst',
    hint: 'One still scene in little light, handheld or not; frames are aligned on the scene.',
  },
  {
    value: 'clear-the-scene',
    text: 'Clear the scene',
    hint: 'People, cars or flakes move through and shall not be seen.',
  },
  {
    value: 'focus-sweep',
    text: 'Focus sweep',
    hint: 'Each frame shows another plane sharp; they are merged to one, sharp from front to back.',
  },
]

watch(
  () => props.open,
  (open) => open && (name.value = ''),
)

function add() {
  if (name.value.trim()) emit('add', name.value.trim(), kind.value)
}
</script>

<template>
  <Sheet :open="open" title="New shoot" @close="emit('close')">
    <form class="flex flex-col gap-4" @submit.prevent="add">
      <label>
        <span class="mb-1 block text-dim">Name</span>
        <input
          v-model="name"
          class="field"
          maxlength="120"
          placeholder="Where and when"
          name="name"
        />
      </label>
      <RadioGroup v-model="kind">
        <RadioGroupLabel class="mb-1 block text-dim">Kind</RadioGroupLabel>
        <div class="flex flex-col gap-1.5">
          <RadioGroupOption
            v-for="one in kinds"
            :key="one.value"
            v-slot="{ checked }"
            :value="one.value"
            as="template"
          >
            <button
              type="button"
              class="rounded-lg border px-3 py-2 text-left"
              :class="checked ? 'border-jade bg-jade-deep' : 'border-edge'"
              :data-test="`kind-${one.value}`"
            >
              <span class="font-semibold">{{ one.text }}</span>
              <span class="block text-dim">{{ one.hint }}</span>
            </button>
          </RadioGroupOption>
        </div>
      </RadioGroup>
      <div class="flex justify-end gap-2">
        <button type="button" class="button" @click="emit('close')">Cancel</button>
        <button class="button button-go" :disabled="!name.trim()">Make shoot</button>
      </div>
    </form>
  </Sheet>
</template>
