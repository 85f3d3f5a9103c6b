<script setup lang="ts">
// Takes a tool into the hand.
defineProps<{
  text: string
  hint: string
  keys: string
  icon: unknown
  pressed: boolean
  disabled?: boolean
  /** The icon stands above the text. */
  upright?: boolean
}>()
</script>

<template>
  <button
    class="flex items-center rounded-md border py-1.5 disabled:text-faint"
    :class="[
      pressed ? 'border-jade bg-jade-deep text-ink' : 'border-edge text-dim',
      upright ? 'flex-col gap-1 px-1 text-center leading-tight' : 'gap-2 px-2 text-left',
    ]"
    :title="`${hint} (${keys})`"
    :aria-pressed="pressed"
    :disabled="disabled"
  >
    <component :is="icon" :size="14" />{{ text }}
  </button>
</template>
