<script setup lang="ts">
// Folds a panel away, or opens it again.
import { ChevronDown, ChevronLeft, ChevronRight, ChevronUp } from '@lucide/vue'
import { computed } from 'vue'

const props = defineProps<{
  /** The panel, as in "Fold the settings away". */
  panel: string
  open: boolean
  /** The edge at which the panel lies. */
  edge: 'left' | 'right' | 'bottom'
}>()
defineEmits<{ toggle: [] }>()

const icon = computed(
  () =>
    ({
      left: props.open ? ChevronLeft : ChevronRight,
      right: props.open ? ChevronRight : ChevronLeft,
      bottom: props.open ? ChevronDown : ChevronUp,
    })[props.edge],
)
const text = computed(() => `${props.open ? 'Fold away' : 'Open'} ${props.panel}`)
</script>

<template>
  <button
    class="rounded p-1 text-dim hover:text-ink"
    :aria-label="text"
    :aria-expanded="open"
    :title="text"
    @click="$emit('toggle')"
  >
    <component :is="icon" :size="15" />
  </button>
</template>
