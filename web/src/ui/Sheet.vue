<script setup lang="ts">
// A dialog with a title; closes on Escape and outside clicks.
import { Dialog, DialogPanel, DialogTitle } from '@headlessui/vue'

defineProps<{ open: boolean; title: string; wide?: boolean }>()
const emit = defineEmits<{ close: [] }>()
</script>

<template>
  <Dialog :open="open" class="relative z-40" @close="emit('close')">
    <div class="fixed inset-0 bg-black/60" aria-hidden="true" />
    <div class="fixed inset-0 flex items-start justify-center p-6 pt-[12vh]">
      <DialogPanel
        class="w-full rounded-xl border border-rule bg-sheet p-5"
        :class="wide ? 'max-w-155' : 'max-w-110'"
      >
        <DialogTitle class="mb-3 text-head font-semibold">{{ title }}</DialogTitle>
        <slot />
      </DialogPanel>
    </div>
  </Dialog>
</template>
