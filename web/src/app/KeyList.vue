<script setup lang="ts">
// All keys by what they belong to; each can be changed.
import { ref } from 'vue'
import Sheet from '../ui/Sheet.vue'
import { chooseKey, commandGroups, hasOwnKeys, keyIn, keyName, keyOf, resetKeys } from './commands'

defineProps<{ open: boolean }>()
const emit = defineEmits<{ close: [] }>()
/** The command whose key is being chosen. */
const choosing = ref<string | null>(null)

function choose(event: KeyboardEvent, id: string) {
  if (choosing.value !== id || ['Shift', 'Control', 'Alt', 'Meta', 'Tab'].includes(event.key))
    return
  event.preventDefault()
  event.stopPropagation()
  choosing.value = null
  if (event.key !== 'Escape') chooseKey(id, event.key === 'Backspace' ? '' : keyIn(event))
}
</script>

<template>
  <Sheet :open="open" title="Keys" wide @close="emit('close')">
    <p class="mb-3 text-dim">
      Press one to choose another key for it: then the new key, or Backspace for none.
    </p>
    <div
      class="max-h-[60vh] columns-2 gap-6 overflow-auto max-[700px]:columns-1"
      data-test="keys-list"
    >
      <section
        v-for="{ group, commands } in commandGroups()"
        :key="group"
        class="mb-4 break-inside-avoid"
      >
        <h3 class="mb-1 font-semibold">{{ group }}</h3>
        <ul>
          <li v-for="one in commands" :key="one.id" class="flex items-center gap-2 py-px">
            <button
              class="num min-w-21 rounded border px-2 py-0.5 text-left"
              :class="choosing === one.id ? 'border-amber text-amber' : 'border-edge text-jade'"
              :aria-label="`Key for ${one.text}: ${keyName(keyOf(one.id)) || 'none'}`"
              :data-test="`key-${one.id}`"
              @click="choosing = one.id"
              @keydown="choose($event, one.id)"
              @blur="choosing = null"
            >
              {{ choosing === one.id ? 'press a key' : keyName(keyOf(one.id)) || 'none' }}
            </button>
            <span>{{ one.text }}</span>
          </li>
        </ul>
      </section>
    </div>
    <div class="mt-4 flex justify-end gap-2">
      <button v-if="hasOwnKeys()" class="button" data-test="keys-reset" @click="resetKeys()">
        Reset all
      </button>
      <button class="button" @click="emit('close')">Close</button>
    </div>
  </Sheet>
</template>
