<script setup lang="ts">
// A small button of the bar.
import type { Component } from 'vue'

defineProps<{ label: string; title: string; icon: Component; off?: boolean; test: string }>()
defineEmits<{ press: [] }>()
</script>

<template>
  <button
    class="rounded p-2 text-dim hover:text-ink disabled:text-rule"
    :disabled="off"
    :title="title"
    :aria-label="label"
    :data-test="test"
    @click="$emit('press')"
  >
    <component :is="icon" :size="17" />
  </button>
</template>
