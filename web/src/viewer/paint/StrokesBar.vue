<script setup lang="ts">
// Strokes are counted, taken back and cleared.
import { Undo2 } from '@lucide/vue'

defineProps<{ count: number }>()
const emit = defineEmits<{ back: []; clear: [] }>()
</script>

<template>
  <div class="mt-1.5 flex items-center gap-1">
    <button
      class="rounded p-1.5 text-dim hover:text-ink disabled:text-rule"
      :disabled="!count"
      title="Take the last stroke back"
      aria-label="Take the last stroke back"
      data-test="stroke-back"
      @click="emit('back')"
    >
      <Undo2 :size="16" />
    </button>
    <span class="num text-dim" data-test="stroke-count"
      >{{ count }} {{ count === 1 ? 'stroke' : 'strokes' }}</span
    >
    <button
      v-if="count"
      class="ml-auto text-dim underline hover:text-ink"
      data-test="strokes-clear"
      @click="emit('clear')"
    >
      Clear
    </button>
  </div>
</template>
