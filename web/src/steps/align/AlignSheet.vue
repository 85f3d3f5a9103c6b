<script setup lang="ts">
import { computed, onUnmounted } from 'vue'
import type { AlignMode, SceneModel } from '../../api/types'
import Segmented from '../../ui/Segmented.vue'
import { useShoot } from '../../state/shoot'
import HandSheet from './HandSheet.vue'
import { usePairs } from './pairs'
import VerdictTable from './VerdictTable.vue'

const store = useShoot()
const pairs = usePairs()

const mode = computed<AlignMode>({
  get: () => store.shoot!.plan.align.mode,
  set: (mode) => void store.setPlan((plan) => (plan.align.mode = mode)),
})
const model = computed<SceneModel>({
  get: () => store.shoot!.plan.align.model,
  set: (model) => void store.setPlan((plan) => (plan.align.model = model)),
})
const modes = computed(() =>
  [
    { value: 'stars' as const, text: 'Stars', hint: 'While the sky turns' },
    { value: 'scene' as const, text: 'Scene', hint: 'Handheld, or bumped' },
    { value: 'none' as const, text: 'Not at all', hint: 'Tripod, still scene' },
  ].filter((one) => store.rules.align.includes(one.value)),
)
const hints: Record<AlignMode, string> = {
  stars: 'The sky becomes sharp; what stands on the ground blurs a little.',
  scene: 'For a camera held by hand or bumped: details of the whole picture are matched.',
  none: 'Frames lie on each other as they are: tripod, star trails.',
}

// Leaving the step leaves no half-set pairs behind.
onUnmounted(pairs.end)
</script>

<template>
  <HandSheet v-if="pairs.frame" />
  <template v-else>
    <h2 class="text-title font-semibold">Align</h2>
    <p class="mb-3 text-dim">Every frame is brought onto the reference frame.</p>
    <Segmented v-model="mode" label="Align" :options="modes" />
    <p class="py-2.5 text-dim">{{ hints[mode] }}</p>
    <label
      v-if="mode === 'scene' && !store.rules.has_planes"
      class="flex items-center justify-between gap-3 pb-3 text-dim"
    >
      <span>Motion</span>
      <select v-model="model" class="field !w-auto !py-1" data-test="model">
        <option value="auto">the simplest that fits</option>
        <option value="shift">shift only</option>
        <option value="similarity">shift, turn, scale</option>
        <option value="homography">perspective</option>
      </select>
    </label>
    <div v-if="store.rules.chooses_reference" class="section">
      <h3>Reference frame</h3>
      <p class="flex justify-between text-dim">
        <span>{{ store.shoot?.reference_id ? 'chosen' : 'proposed' }}</span>
        <b class="num font-medium text-ink">{{ store.reference?.name ?? 'none' }}</b>
      </p>
      <p
        v-if="!store.shoot?.reference_id && store.shoot?.proposed_reference"
        class="pt-1 text-dim"
        data-test="reference-reason"
      >
        {{ store.shoot.proposed_reference.reason }}
      </p>
    </div>
    <VerdictTable />
  </template>
</template>
