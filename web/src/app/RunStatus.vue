<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Stage } from '../api/types'
import { finishes } from '../steps/finish/finish'
import { duration } from '../domain/units'
import { useShoot } from '../state/shoot'
import ProgressBar from '../ui/ProgressBar.vue'
import SpokenText from '../ui/SpokenText.vue'

const store = useShoot()

const stages = computed<{ stage: Stage; name: string; unit: string }[]>(() => [
  ...(store.job?.stage === 'prepare' || store.calibration.some((frame) => !frame.left_out)
    ? [{ stage: 'prepare' as const, name: 'Calibration', unit: 'frames' }]
    : []),
  { stage: 'frames', name: 'Frames', unit: 'frames' },
  { stage: 'align', name: 'Align', unit: 'frames' },
  ...(store.job?.plan.skyline.mode !== 'none'
    ? [{ stage: 'skyline' as const, name: 'Skyline', unit: 'steps' }]
    : []),
  { stage: 'combine', name: 'Combine', unit: 'tiles' },
  ...(store.job && finishes(store.job.plan)
    ? [{ stage: 'finish' as const, name: 'Finish', unit: 'parts' }]
    : []),
  // What is painted over a merged sweep comes last too.
  ...(store.rules.changes.includes('paint') && store.job?.plan.focus.patches.length
    ? [{ stage: 'finish' as const, name: 'Patches', unit: 'parts' }]
    : []),
])
const at = computed(() => stages.value.findIndex((s) => s.stage === store.job?.stage))
const share = computed(() => {
  const job = store.job
  return job && job.total > 0 ? job.done / job.total : 0
})
/** How the run goes, stage by stage. */
const spoken = computed(() => {
  const stage = stages.value[at.value]
  if (store.running) {
    return stage ? `Running: ${stage.name}, ${at.value + 1} of ${stages.value.length}.` : 'Running.'
  }
  // Of runs that ended before, nothing is said.
  return seen.value && store.job?.state === 'done' ? 'The run is done; its result is shown.' : ''
})
const seen = ref(false)
watch(
  () => store.running,
  (running) => (seen.value ||= running),
)
</script>

<template>
  <SpokenText :text="spoken" />
  <div v-if="store.running" class="border-t border-rule bg-sheet px-4.5 py-3" data-test="running">
    <div class="mb-2 flex items-baseline justify-between">
      <b class="font-semibold">{{
        store.job?.state === 'queued' ? 'Waiting for its turn' : 'Running'
      }}</b>
      <span class="text-dim" data-test="remaining">
        {{ store.job?.remaining_s != null ? duration(store.job.remaining_s) : '' }}
      </span>
    </div>
    <ol class="flex flex-col gap-1.5">
      <li v-for="(stage, index) in stages" :key="stage.stage">
        <div
          class="flex justify-between"
          :class="index === at ? 'text-ink' : index < at ? 'text-dim' : 'text-faint'"
        >
          <span>{{ stage.name }}</span>
          <span class="num">
            <template v-if="index === at"
              >{{ store.job?.done }} of {{ store.job?.total }} {{ stage.unit }}</template
            >
            <template v-else-if="index < at">done</template>
          </span>
        </div>
        <ProgressBar
          class="mt-0.5"
          :label="stage.name"
          :share="index < at ? 1 : index === at ? share : 0"
        />
      </li>
    </ol>
    <button class="button mt-3 w-full" data-test="stop" @click="store.cancel">Stop</button>
  </div>
  <div
    v-else-if="
      store.job?.state === 'interrupted' ||
      store.job?.state === 'failed' ||
      store.job?.state === 'cancelled'
    "
    class="border-t border-rule bg-sheet px-4.5 py-3"
    data-test="stopped"
  >
    <p v-if="store.job.state === 'failed'" class="text-rose" role="alert">
      {{ store.job.problem }}
    </p>
    <p v-else-if="store.job.state === 'interrupted'" class="text-amber">
      The last run was interrupted: the program ended while it was under way. Stages that were
      finished are kept.
    </p>
    <p v-else class="text-dim">The last run was stopped.</p>
    <button class="button mt-2 w-full" data-test="resume" @click="store.resume">Resume run</button>
  </div>
</template>
