<script setup lang="ts">
// How far the file that is being saved is, and what went wrong with the last one.
import { computed } from 'vue'
import { duration } from '../../domain/units'
import ProgressBar from '../../ui/ProgressBar.vue'
import SpokenText from '../../ui/SpokenText.vue'
import { useSaving } from './saving'

const saving = useSaving()
const doing = computed(() => (saving.now?.stage === 'frames' ? 'Reading frames' : 'Saving'))
const spoken = computed(() => (saving.now ? `${doing.value}.` : saving.problem))
</script>

<template>
  <SpokenText :text="spoken" />
  <div v-if="saving.now" class="my-3" data-test="saving">
    <p class="flex justify-between">
      <span>{{ doing }}</span>
      <span class="text-dim">
        {{ saving.now.remaining_s != null ? duration(saving.now.remaining_s) : '' }}
      </span>
    </p>
    <ProgressBar class="mt-1" :label="doing" :share="saving.share / 100" />
    <button class="button mt-3 w-full" data-test="stop-saving" @click="saving.stop">Stop</button>
  </div>
  <p v-else-if="saving.problem" class="mb-3 text-rose" data-test="saving-problem">
    {{ saving.problem }}
  </p>
</template>
