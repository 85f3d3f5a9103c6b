<script setup lang="ts">
// Where frames that are in no set seem to belong: accepted, or kept together.
import { computed } from 'vue'
import { rulesOf } from '../../api/kinds'
import { useShoot } from '../../state/shoot'

const store = useShoot()
const sets = computed(() => store.shoot?.proposed_sets ?? [])
const count = computed(() => sets.value.reduce((sum, set) => sum + set.frame_ids.length, 0))
const kind = computed(() => store.shoot?.proposed_kind)

function accept() {
  void store.sort(
    sets.value.map(({ name, role, into, frame_ids }) => ({ name, role, into, frame_ids })),
  )
}

function together() {
  const frame_ids = sets.value.flatMap((set) => set.frame_ids)
  void store.sort([{ name: 'Lights', role: 'light', into: null, frame_ids }])
}

function look(id: number) {
  store.selected = id
  store.a = `frame-${id}`
}
</script>

<template>
  <div v-if="kind" class="section" data-test="proposed-kind">
    <p class="text-dim">This looks like a {{ rulesOf(kind.kind).name }}: {{ kind.reason }}.</p>
    <button class="button mt-1.5 w-full" @click="store.setKind(kind.kind)">
      Make it a {{ rulesOf(kind.kind).name }}
    </button>
  </div>
  <div v-if="sets.length" class="section" data-test="proposed-sets">
    <h3>{{ count === 1 ? 'One frame' : `${count} frames` }} to be sorted</h3>
    <ul class="flex flex-col gap-1.5">
      <li v-for="set in sets" :key="set.name" :data-test="`proposed-${set.purpose}`">
        <button
          class="flex w-full items-baseline gap-2 text-left"
          :title="`Look at ${set.name}`"
          @click="look(set.frame_ids[0]!)"
        >
          <b class="truncate font-medium">{{ set.name }}</b>
          <span v-if="set.into" class="text-dim">more</span>
          <span class="num ml-auto text-dim">{{ set.frame_ids.length }}</span>
        </button>
        <p class="text-small text-dim">{{ set.reason }}</p>
      </li>
    </ul>
    <div class="mt-2 grid grid-cols-2 gap-1.5">
      <button class="button button-go" data-test="accept-sets" @click="accept">
        {{ sets.length === 1 ? 'Put there' : `Make ${sets.length} sets` }}
      </button>
      <button class="button" data-test="keep-together" @click="together">All are lights</button>
    </div>
  </div>
</template>
