<script setup lang="ts">
// What is known of the chosen frame, and what is done with it.
import { computed } from 'vue'
import type { Frame, Role } from '../../api/types'
import { bytes, factRows, measureRows, roleNames } from '../../domain/units'
import { useShoot } from '../../state/shoot'
import Segmented from '../../ui/Segmented.vue'

const store = useShoot()
const frame = computed(
  () => store.shoot?.frames.find((f) => f.id === store.selected) ?? store.reference,
)

const roles = (Object.keys(roleNames) as Role[]).map((value) => ({
  value,
  text: roleNames[value],
}))
const role = computed<Role>({
  get: () => frame.value?.role ?? 'light',
  set: (role) => void (frame.value && store.setRole([frame.value.id], role)),
})

/** Frames of the same set that are in, before this one and after it. */
const own = computed(
  () => store.groups.find((g) => g.frames.some((f) => f.id === frame.value?.id))?.frames ?? [],
)
const place = computed(() => own.value.findIndex((f) => f.id === frame.value?.id))
const before = computed(() => within(own.value.slice(0, Math.max(place.value, 0))))
const after = computed(() => within(own.value.slice(place.value + 1)))

function within(frames: Frame[]): number[] {
  return frames.filter((f) => !f.left_out).map((f) => f.id)
}
</script>

<template>
  <div v-if="frame" class="section" data-test="frame-facts">
    <h3 class="truncate" :title="frame.name">
      {{ frame.name }}
      <span v-if="frame.id === store.reference?.id" class="font-normal text-jade">
        · reference</span
      >
    </h3>
    <dl v-if="frame.facts" class="grid grid-cols-[auto_1fr] gap-x-3 gap-y-0.5">
      <template v-for="[label, value] in factRows(frame.facts)" :key="label">
        <dt class="text-dim">{{ label }}</dt>
        <dd class="num min-w-0 text-right break-words">{{ value }}</dd>
      </template>
      <template v-if="frame.measures">
        <template
          v-for="[label, value] in measureRows(frame.measures, store.rules.judges_stars)"
          :key="label"
        >
          <dt class="text-dim">{{ label }}</dt>
          <dd class="num text-right">{{ value }}</dd>
        </template>
      </template>
      <dt class="text-dim">File</dt>
      <dd class="num text-right">
        {{ bytes(frame.bytes) }}{{ frame.linked ? ', stays in its folder' : '' }}
      </dd>
    </dl>
    <div class="mt-3 flex items-center gap-3">
      <span class="text-dim">Used as</span>
      <Segmented v-model="role" class="flex-1" label="Role" :options="roles" />
    </div>
    <div v-if="frame.role === 'light'" class="mt-3 grid grid-cols-2 gap-1.5">
      <button
        class="button"
        data-test="leave-out"
        @click="store.leaveOut([frame.id], !frame.left_out)"
      >
        {{ frame.left_out ? 'Take in' : 'Leave out' }}
      </button>
      <button
        v-if="store.rules.chooses_reference"
        class="button"
        data-test="make-reference"
        :disabled="frame.left_out || frame.id === store.shoot?.reference_id"
        @click="store.setReference(frame.id)"
      >
        Make reference
      </button>
      <button
        class="button"
        :disabled="!before.length"
        title="Leave out all frames of its set before this one"
        data-test="begin-here"
        @click="store.leaveOut(before, true)"
      >
        Begin here
      </button>
      <button
        class="button"
        :disabled="!after.length"
        title="Leave out all frames of its set after this one"
        data-test="end-here"
        @click="store.leaveOut(after, true)"
      >
        End here
      </button>
    </div>
  </div>
</template>
