<script setup lang="ts">
// The pinned probes as squares on the picture; side by side on both.
import { computed } from 'vue'
import { useShoot } from '../../state/shoot'
import type { View } from '../pane'

const props = defineProps<{ place: View; beside: boolean }>()
const store = useShoot()
const offsets = computed(() => (props.beside ? [0, 50] : [0]))
</script>

<template>
  <div
    v-for="offset in offsets"
    :key="offset"
    class="pointer-events-none absolute inset-y-0 overflow-hidden"
    :style="{ left: `${offset}%`, width: beside ? '50%' : '100%' }"
  >
    <div
      v-for="probe in store.shoot?.probes ?? []"
      :key="probe.id"
      class="absolute border-[1.5px] border-white outline outline-black/60"
      :style="{
        left: `${place.left + (probe.x - 0.5) * place.scale}px`,
        top: `${place.top + (probe.y - 0.5) * place.scale}px`,
        width: `${Math.max(9, probe.size * place.scale)}px`,
        height: `${Math.max(9, probe.size * place.scale)}px`,
      }"
    >
      <span
        class="absolute -top-5 left-0 text-tiny whitespace-nowrap"
        style="
          text-shadow:
            0 0 3px #000,
            0 0 3px #000;
        "
      >
        {{ probe.name }}
      </span>
    </div>
  </div>
</template>
