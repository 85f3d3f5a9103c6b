<script setup lang="ts">
// A step in the bar: its state by shape and colour, and what is known of it.
import { computed } from 'vue'
import { useShoot } from '../state/shoot'
import type { Step } from '../steps/step'
import StateDot from '../ui/StateDot.vue'

const props = defineProps<{ step: Step }>()
const store = useShoot()

/** Whether a run is at this step; it begins with the frames. */
const running = computed(() => store.running && props.step.stage === (store.job?.stage ?? 'frames'))
const state = computed(() => (running.value ? 'running' : props.step.state(store)))
const finding = computed(() => {
  // The first step shows how many frames are in, also while they are read.
  if (running.value && props.step.name !== 'frames') return 'running'
  return props.step.finding(store)
})
const open = computed(() => store.step === props.step.name)
</script>

<template>
  <button
    class="max-w-37.5 min-w-0 flex-1 rounded-lg px-2.5 py-1.5 text-left max-[1180px]:px-1.5"
    :class="open ? 'bg-raised' : 'hover:bg-sheet'"
    :aria-current="open ? 'step' : undefined"
    :title="`${step.label}: ${finding}`"
    :data-test="`step-${step.name}`"
    @click="store.step = step.name"
  >
    <span class="flex items-center gap-2 font-semibold max-[1180px]:gap-1">
      <StateDot :state="state" /><span class="truncate">{{ step.label }}</span>
    </span>
    <small class="num block truncate text-tiny text-dim">{{ finding }}</small>
  </button>
</template>
