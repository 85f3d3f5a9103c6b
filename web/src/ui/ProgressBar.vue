<script setup lang="ts">
// How far something is.
defineProps<{
  label: string
  /** From 0 to 1. */
  share: number
}>()
</script>

<template>
  <div
    class="h-0.75 rounded bg-rule"
    role="progressbar"
    :aria-label="label"
    :aria-valuenow="Math.round(share * 100)"
    aria-valuemin="0"
    aria-valuemax="100"
  >
    <div class="h-full rounded bg-jade" :style="`width: ${share * 100}%`" />
  </div>
</template>
