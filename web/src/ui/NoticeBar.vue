<script setup lang="ts">
import { computed } from 'vue'
import { sentence } from '../api/client'
import { useNotices, type Notice } from '../state/notices'

const notices = useNotices()
const problems = computed(() => notices.notices.filter((notice) => notice.problem))

async function undo(notice: Notice) {
  notices.dismiss(notice.id)
  try {
    await notice.undo?.()
  } catch (error) {
    notices.show(`Not undone: ${sentence(error)}`, { problem: true })
  }
}

function dismissAll() {
  problems.value.forEach((notice) => notices.dismiss(notice.id))
}
</script>

<template>
  <div
    class="pointer-events-none fixed inset-x-0 top-16.5 z-50 flex max-h-[60vh] flex-col items-center gap-2 overflow-y-auto"
    role="status"
    aria-live="polite"
  >
    <div
      v-for="notice in notices.notices"
      :key="notice.id"
      class="pointer-events-auto flex max-w-160 items-center gap-4 rounded-lg border bg-raised px-4 py-2.5 shadow-lg shadow-black/50"
      :class="notice.problem ? 'border-rose' : 'border-rule'"
      :role="notice.problem ? 'alert' : undefined"
      data-test="notice"
    >
      <span>{{ notice.text }}</span>
      <button v-if="notice.undo" class="font-semibold text-jade" @click="undo(notice)">Undo</button>
      <button class="text-dim" aria-label="Dismiss" @click="notices.dismiss(notice.id)">×</button>
    </div>
    <button
      v-if="problems.length > 2"
      class="button pointer-events-auto"
      data-test="dismiss-all"
      @click="dismissAll"
    >
      Dismiss all {{ problems.length }}
    </button>
  </div>
</template>
