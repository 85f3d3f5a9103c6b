<script setup lang="ts">
// What the lights are calibrated with, and the repair of sensor defects.
import { storeToRefs } from 'pinia'
import { computed } from 'vue'
import type { Repair, Role } from '../../api/types'
import { useShoot } from '../../state/shoot'
import Segmented from '../../ui/Segmented.vue'
import { useScope } from './scope'

const store = useShoot()
const { prepare, raw } = storeToRefs(useScope())

const repair = computed<Repair>({
  get: () => prepare.value.repair,
  set: (way) => void store.setPlan((plan) => (plan.prepare.repair = way)),
})

const does: [Role, string, string][] = [
  ['dark', 'dark', 'What the sensor adds in the exposure’s time is taken off.'],
  ['flat', 'flat', 'Shade of the lens and specks of dust are given back.'],
  ['bias', 'bias', 'Darks of another exposure time are scaled.'],
]
const calibration = computed(() =>
  does.map(([role, name, effect]) => {
    const count = store.calibration.filter((f) => f.role === role && !f.left_out).length
    return { role, name, effect, count }
  }),
)
const repairs = computed(() => {
  const darks = calibration.value[0]!.count > 0
  if (repair.value === 'off') return 'Hot and cold pixels stay.'
  if (darks) return 'Hot and cold pixels that the darks show are repaired.'
  if (raw.value || repair.value === 'always')
    return 'Hot and cold pixels are found in the lights: what stays in place while the sky moves.'
  return 'Developed frames without darks stay as they are.'
})
</script>

<template>
  <div class="section" data-test="calibration">
    <h3>Calibration</h3>
    <p v-if="!store.calibration.length" class="mb-2 text-dim">
      No dark, flat or bias frames. Add them under Frames, and they are used for every run.
    </p>
    <dl v-else class="mb-2">
      <template v-for="one in calibration" :key="one.role">
        <div v-if="one.count" class="flex gap-3 py-1">
          <dt class="num w-16 shrink-0">{{ one.count }} {{ one.name }}</dt>
          <dd class="text-dim">{{ one.effect }}</dd>
        </div>
      </template>
    </dl>
    <div class="flex items-center gap-3">
      <span class="text-dim">Repair</span>
      <Segmented
        v-model="repair"
        class="flex-1"
        label="Repair"
        :options="[
          { value: 'auto', text: 'Auto' },
          { value: 'always', text: 'Always' },
          { value: 'off', text: 'Off' },
        ]"
      />
    </div>
    <p class="pt-2 text-dim">{{ repairs }}</p>
  </div>
</template>
