<script setup lang="ts">
// What can be done with all frames that are chosen.
import { computed, ref } from 'vue'
import type { Role } from '../../api/types'
import { roleNames } from '../../domain/units'
import { useShoot } from '../../state/shoot'

const store = useShoot()
const name = ref('')
const frames = computed(() => store.shoot?.frames.filter((f) => store.chosen.includes(f.id)) ?? [])
const lights = computed(() => frames.value.filter((f) => f.role === 'light'))
const sets = computed(() => store.shoot?.sets ?? [])
const ids = computed(() => frames.value.map((f) => f.id))

function move(event: globalThis.Event) {
  const field = event.target as HTMLSelectElement
  const [what, which] = field.value.split('/')
  const set = sets.value.find((one) => one.id === Number(which))
  if (set) void store.moveTo(ids.value, set)
  else if (what === 'role') void store.setRole(ids.value, which as Role)
  field.value = ''
}

function makeSet() {
  const role = frames.value[0]!.role
  const frame_ids = ids.value
  void store.sort([{ name: name.value, role, into: null, frame_ids }])
  name.value = ''
}
</script>

<template>
  <div v-if="frames.length > 1" class="section" data-test="chosen">
    <h3 class="flex items-baseline">
      {{ frames.length }} frames chosen
      <button class="ml-auto text-small font-normal text-jade" @click="store.chosen = []">
        Choose none
      </button>
    </h3>
    <div v-if="lights.length" class="grid grid-cols-2 gap-1.5">
      <button
        class="button"
        data-test="chosen-out"
        @click="
          store.leaveOut(
            lights.map((f) => f.id),
            true,
          )
        "
      >
        Leave out
      </button>
      <button
        class="button"
        @click="
          store.leaveOut(
            lights.map((f) => f.id),
            false,
          )
        "
      >
        Take in
      </button>
    </div>
    <label class="mt-2 flex items-center gap-3">
      <span class="w-16 shrink-0 text-dim">Move to</span>
      <select class="field" data-test="move-to" @change="move">
        <option value="">choose a set</option>
        <option v-for="set in sets" :key="set.id" :value="`set/${set.id}`">{{ set.name }}</option>
        <option v-for="(text, role) in roleNames" :key="role" :value="`role/${role}`">
          {{ text }} frames in no set
        </option>
      </select>
    </label>
    <form class="mt-1.5 flex items-center gap-1.5" @submit.prevent="makeSet">
      <input v-model="name" class="field" placeholder="A new set" aria-label="Name of a new set" />
      <button class="button shrink-0" :disabled="!name.trim()">Make</button>
    </form>
  </div>
</template>
