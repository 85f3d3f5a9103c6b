<script setup lang="ts">
import { RadioGroup, RadioGroupLabel, RadioGroupOption } from '@headlessui/vue'
import { ref, watch } from 'vue'
import type { Kind } from '../api/types'
import { kinds } from '../api/kinds'
import Sheet from '../ui/Sheet.vue'

const props = defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: []; add: [name: string, kind: Kind] }>()

const name = ref('')
const kind = ref<Kind>('night-sky')
/** A name as a title. */
const titled = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)

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
        <RadioGroupLabel as="span" class="mb-1 block text-dim">Kind</RadioGroupLabel>
        <div class="flex flex-col gap-1.5">
          <RadioGroupOption
            v-for="one in kinds"
            :key="one.kind"
            v-slot="{ checked }"
            :value="one.kind"
            as="template"
          >
            <button
              type="button"
              class="rounded-lg border px-3 py-2 text-left"
              :class="checked ? 'border-jade bg-jade-deep' : 'border-edge'"
              :data-test="`kind-${one.kind}`"
            >
              <span class="font-semibold">{{ titled(one.name) }}</span>
              <span class="block text-dim">{{ one.about }}</span>
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
