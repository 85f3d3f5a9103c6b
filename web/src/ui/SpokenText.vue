<script setup lang="ts">
// A sentence for a screen reader, spoken when it changes; what is seen changes too often to be read out.
defineProps<{ text: string }>()
</script>

<template>
  <span class="sr-only" role="status" data-test="spoken">{{ text }}</span>
</template>
