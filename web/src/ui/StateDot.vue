<script setup lang="ts">
// State by shape as well as colour.
defineProps<{ state: 'done' | 'changed' | 'waiting' | 'running' | 'blocked' }>()
</script>

<template>
  <span
    class="inline-block h-2.5 w-2.5 shrink-0 border-[1.5px]"
    :class="{
      'rounded-full border-jade bg-jade': state === 'done',
      'rounded-full border-dashed border-amber': state === 'changed',
      'rounded-full border-faint': state === 'waiting',
      'rounded-full border-jade bg-linear-to-r from-jade from-50% to-transparent to-50%':
        state === 'running',
      'border-rose bg-rose': state === 'blocked',
    }"
    aria-hidden="true"
  />
</template>
