<script setup lang="ts">
// A setting that is on or off, with its name beside it.
import { Switch, SwitchGroup, SwitchLabel } from '@headlessui/vue'

defineProps<{ label: string; hint?: string; test?: string }>()
const model = defineModel<boolean>({ required: true })
</script>

<template>
  <SwitchGroup>
    <div class="flex items-center justify-between gap-3 py-1" :title="hint">
      <SwitchLabel class="text-dim">{{ label }}</SwitchLabel>
      <Switch
        v-model="model"
        class="relative h-[18px] w-[32px] shrink-0 rounded-full border transition-colors"
        :class="model ? 'border-jade bg-jade-deep' : 'border-edge bg-well'"
        :data-test="test"
      >
        <span
          class="absolute top-[2px] h-[12px] w-[12px] rounded-full transition-all"
          :class="model ? 'left-[16px] bg-jade' : 'left-[2px] bg-dim'"
        />
      </Switch>
    </div>
  </SwitchGroup>
</template>
