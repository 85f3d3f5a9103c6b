<script setup lang="ts">
import { computed } from 'vue'
import type { Edges } from '../../api/types'
import Segmented from '../../ui/Segmented.vue'
import { useShoot } from '../../state/shoot'

const store = useShoot()
const edges = computed<Edges>({
  get: () => store.shoot!.plan.combine.edges,
  set: (edges) => void store.setPlan((plan) => (plan.combine.edges = edges)),
})
const all: { value: Edges; text: string; hint: string }[] = [
  { value: 'trim', text: 'Trim', hint: 'Cut to what every frame covers.' },
  {
    value: 'keep',
    text: 'Keep',
    hint: 'The reference frame’s size; edges from fewer frames.',
  },
  {
    value: 'fill',
    text: 'Fill',
    hint: 'The reference frame’s size; frames go on beyond their edge.',
  },
]
const options = computed(() => all.filter((one) => store.rules.edges.includes(one.value)))
</script>

<template>
  <div class="flex items-center gap-3 py-1.5">
    <span class="text-dim">Edges</span>
    <Segmented v-model="edges" label="Edges" class="flex-1" :options="options" />
  </div>
</template>
