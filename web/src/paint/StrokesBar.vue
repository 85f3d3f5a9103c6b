<script setup lang="ts">
// Strokes are counted, taken back, made again and cleared.
import { Redo2, Undo2 } from '@lucide/vue'
import { useShoot } from '../shoot/store'

defineProps<{ count: number }>()
/** Back where this page has nothing to undo, as it was loaded anew. */
const emit = defineEmits<{ back: []; clear: [] }>()
const store = useShoot()
</script>

<template>
  <div class="mt-1.5 flex items-center gap-1">
    <button
      class="rounded p-1.5 text-dim hover:text-ink disabled:text-rule"
      :disabled="!count"
      title="Take the last stroke back (Ctrl z)"
      aria-label="Take the last stroke back"
      data-test="stroke-back"
      @click="store.undos.length ? store.undo() : emit('back')"
    >
      <Undo2 :size="16" />
    </button>
    <button
      class="rounded p-1.5 text-dim hover:text-ink disabled:text-rule"
      :disabled="!store.redos.length"
      title="Do it again (Ctrl Shift z)"
      aria-label="Do it again"
      data-test="redo"
      @click="store.redo()"
    >
      <Redo2 :size="16" />
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
