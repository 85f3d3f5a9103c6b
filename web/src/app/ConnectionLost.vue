<script setup lang="ts">
// Says that the server cannot be heard, once that lasts, and that it is there again.
import { ref, watch } from 'vue'
import { connected } from '../api/events'
import { useNotices } from '../state/notices'

/** A gap as short as this is not worth a word, in milliseconds. */
const SHORT = 1500

const notices = useNotices()
const lost = ref(false)
let timer = 0
watch(connected, (heard) => {
  clearTimeout(timer)
  if (!heard) timer = window.setTimeout(() => (lost.value = true), SHORT)
  else if (lost.value) {
    lost.value = false
    notices.show('The server answers again; what changed meanwhile is on the page.')
  }
})
</script>

<template>
  <div
    v-if="lost"
    class="fixed inset-x-0 bottom-4 z-50 mx-auto flex w-fit max-w-[90vw] items-center gap-3 rounded-lg border border-amber bg-raised px-4 py-2.5 shadow-lg shadow-black/50"
    role="alert"
    data-test="connection-lost"
  >
    The server does not answer. See whether it is still running; the page tries again by itself.
  </div>
</template>
