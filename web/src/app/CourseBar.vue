<script setup lang="ts">
// The steps with their states and findings, and what concerns the whole shoot.
import { CircleQuestionMark, Redo2, Undo2 } from '@lucide/vue'
import { computed } from 'vue'
import { counts } from '../domain/units'
import { useShoot } from '../state/shoot'
import { stepsOf } from '../steps'
import BarButton from './BarButton.vue'
import StepTab from './StepTab.vue'
import { carryOutCommand, titleOf } from './commands'

const store = useShoot()
const count = computed(() => counts([...store.lights, ...store.calibration]))
const steps = computed(() => stepsOf(store))
const ready = computed(() => store.used.length > 1 && !store.running)
const undo = computed(() => {
  const title = store.history.undo
  return title ? titleOf('undo', `Undo ${title}`) : 'Nothing to undo'
})
const redo = computed(() => {
  const title = store.history.redo
  return title ? titleOf('redo', `Redo ${title}`) : 'Nothing to redo'
})
</script>

<template>
  <header class="flex items-stretch border-b border-rule">
    <RouterLink
      to="/"
      class="flex w-[clamp(11.25rem,20vw,20rem)] items-center gap-3 border-r border-rule px-4.5 py-2.5"
      title="All shoots"
    >
      <img src="/mark.svg" alt="All shoots" class="w-4" />
      <span class="min-w-0">
        <h1 class="truncate font-semibold">{{ store.shoot?.name }}</h1>
        <small class="block truncate text-dim">{{ count }} · {{ store.rules.name }}</small>
      </span>
    </RouterLink>
    <nav
      class="flex min-w-0 flex-1 items-center gap-1 px-3 max-[1180px]:gap-0 max-[1180px]:px-1"
      aria-label="Steps"
    >
      <StepTab v-for="step in steps" :key="step.name" :step="step" />
    </nav>
    <div class="flex items-center pr-4 max-[1180px]:pr-2">
      <BarButton
        label="Undo"
        :title="undo"
        :off="!store.history.undo"
        :icon="Undo2"
        test="undo"
        @press="store.undo"
      />
      <BarButton
        label="Redo"
        :title="redo"
        :off="!store.history.redo"
        :icon="Redo2"
        test="redo"
        @press="store.redo"
      />
      <BarButton
        label="Keys"
        :title="titleOf('keys')"
        :icon="CircleQuestionMark"
        test="keys"
        @press="carryOutCommand('keys')"
      />
      <button
        class="button button-go ml-1 px-5 max-[1180px]:px-3"
        :disabled="!ready"
        :title="titleOf('run')"
        data-test="run"
        @click="store.run"
      >
        {{ store.running ? 'Running' : 'Run' }}
      </button>
    </div>
  </header>
</template>
