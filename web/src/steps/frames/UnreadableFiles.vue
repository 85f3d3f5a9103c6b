<script setup lang="ts">
// Files that are no frames, each with the reason.
import { api } from '../../api/client'
import { useShoot } from '../../state/shoot'

const store = useShoot()

async function dismiss(id: number) {
  const shoot = await store.attempt(() => api.removeFrame(store.shoot!.id, id))
  if (shoot) store.take(shoot)
}
</script>

<template>
  <div v-if="store.unreadable.length" class="section" data-test="unreadable">
    <h3 class="text-rose">
      {{ store.unreadable.length }} file{{ store.unreadable.length > 1 ? 's' : '' }} cannot be read
    </h3>
    <ul class="flex flex-col gap-2">
      <li v-for="one in store.unreadable" :key="one.id" class="flex gap-2">
        <span class="min-w-0 flex-1 break-words text-dim">{{ one.problem }}</span>
        <button
          class="self-start text-dim"
          :aria-label="`Dismiss ${one.name}`"
          @click="dismiss(one.id)"
        >
          ×
        </button>
      </li>
    </ul>
  </div>
</template>
