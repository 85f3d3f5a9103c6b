<script setup lang="ts">
// The pinned probes: both sides enlarged, with their figures.
import { computed } from 'vue'
import { keyName, keyOf } from '../../app/commands'
import { useLayout } from '../../state/layout'
import { useShoot } from '../../state/shoot'
import FoldButton from '../../ui/FoldButton.vue'
import ProbeCard from './ProbeCard.vue'

const store = useShoot()
const layout = useLayout()
const probes = computed(() => store.shoot?.probes ?? [])
</script>

<template>
  <aside
    class="flex min-h-0 w-[clamp(13rem,18.5vw,22rem)] flex-col overflow-auto border-l border-rule p-3.5"
    aria-label="Probes"
  >
    <div class="flex items-center justify-between">
      <h2 class="text-title font-semibold">Probes</h2>
      <FoldButton
        panel="the probes"
        open
        edge="right"
        data-test="fold-probes"
        @toggle="layout.toggle('probes')"
      />
    </div>
    <p class="mb-3 text-dim">Side A against side B, as they are shown.</p>
    <ProbeCard v-for="probe in probes" :key="probe.id" :probe="probe" />
    <p v-if="!probes.length" class="mb-3 text-dim">
      {{
        store.rules.has_planes
          ? 'Pin a patch to see what becomes sharp: both sides enlarged, with their detail and noise.'
          : 'Pin a patch of plain sky to see what stacking gains: both sides enlarged, with their noise.'
      }}
    </p>
    <p class="text-small text-faint">
      Press <b class="text-dim">{{ keyName(keyOf('view.pin')) }}</b> over the picture to pin one.
    </p>
  </aside>
</template>
