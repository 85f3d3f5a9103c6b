<script setup lang="ts">
import { useNotices, type Notice } from './notices'

const notices = useNotices()

async function undo(notice: Notice) {
  notices.dismiss(notice.id)
  await notice.undo?.()
}
</script>

<template>
  <div
    class="pointer-events-none fixed inset-x-0 top-[66px] z-50 flex flex-col items-center gap-2"
    role="status"
    aria-live="polite"
  >
    <div
      v-for="notice in notices.notices"
      :key="notice.id"
      class="pointer-events-auto flex max-w-[640px] items-center gap-4 rounded-lg border bg-raised px-4 py-2.5 shadow-lg shadow-black/50"
      :class="notice.problem ? 'border-rose' : 'border-rule'"
      data-test="notice"
    >
      <span>{{ notice.text }}</span>
      <button v-if="notice.undo" class="font-semibold text-jade" @click="undo(notice)">Undo</button>
      <button class="text-dim" aria-label="Dismiss" @click="notices.dismiss(notice.id)">×</button>
    </div>
  </div>
</template>
