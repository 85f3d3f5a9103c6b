<script setup lang="ts">
// A setting that is on or off, with its name beside it.
import { Switch, SwitchGroup, SwitchLabel } from '@headlessui/vue'
import HelpText from './HelpText.vue'

defineProps<{ label: string; hint?: string; test?: string }>()
const model = defineModel<boolean>({ required: true })
</script>

<template>
  <SwitchGroup>
    <HelpText class="py-1" :about="label" :text="hint">
      <template #label>
        <SwitchLabel class="min-w-0 text-dim">{{ label }}</SwitchLabel>
      </template>
      <Switch
        v-model="model"
        class="relative ml-auto h-4.5 w-8 shrink-0 rounded-full border transition-colors"
        :class="model ? 'border-jade bg-jade-deep' : 'border-edge bg-well'"
        :data-test="test"
      >
        <span
          class="absolute top-0.5 h-3 w-3 rounded-full transition-all"
          :class="model ? 'left-4 bg-jade' : 'left-0.5 bg-dim'"
        />
      </Switch>
    </HelpText>
  </SwitchGroup>
</template>
