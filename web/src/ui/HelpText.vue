<script setup lang="ts">
// A label with a question mark beside it, which opens a sentence of help for whoever cannot hover.
import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/vue'
import { CircleQuestionMark } from '@lucide/vue'

defineProps<{ about: string; text?: string }>()
</script>

<template>
  <Disclosure v-slot="{ open }" as="div">
    <div class="flex items-center gap-1">
      <slot name="label" />
      <DisclosureButton
        v-if="text"
        class="shrink-0 rounded p-1.5 hover:text-ink"
        :class="open ? 'text-jade' : 'text-faint'"
        :aria-label="`Help on ${about}`"
        :title="text"
      >
        <CircleQuestionMark :size="12" />
      </DisclosureButton>
      <slot />
    </div>
    <DisclosurePanel v-if="text" class="pb-1 text-small text-dim">{{ text }}.</DisclosurePanel>
  </Disclosure>
</template>
