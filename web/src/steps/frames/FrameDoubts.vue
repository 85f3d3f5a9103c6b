<script setup lang="ts">
// Frames that something speaks against, with the reason.
import { computed } from 'vue'
import { useShoot } from '../../state/shoot'
import { useLook } from './look'

const store = useShoot()
const look = useLook()
const doubts = computed(() =>
  (store.shoot?.doubts ?? []).flatMap((doubt) => {
    const one = store.lights.find((f) => f.id === doubt.frame_id)
    return one ? [{ one, reason: doubt.reason }] : []
  }),
)
</script>

<template>
  <div v-if="doubts.length" class="section" data-test="doubts">
    <h3 class="flex items-baseline gap-2">
      Better left out?
      <button
        v-if="doubts.length > 1"
        class="ml-auto text-small font-normal text-jade"
        @click="
          store.leaveOut(
            doubts.map((d) => d.one.id),
            true,
          )
        "
      >
        Leave out all {{ doubts.length }}
      </button>
    </h3>
    <ul class="flex flex-col gap-2.5">
      <li v-for="{ one, reason } in doubts" :key="one.id">
        <p class="text-dim">
          <button class="num text-ink underline decoration-rule" @click="look(one.id)">
            {{ one.name }}
          </button>
          {{ reason }}
        </p>
        <div class="mt-1 grid grid-cols-2 gap-1.5">
          <button
            class="button"
            :aria-label="`Leave out ${one.name}`"
            @click="store.leaveOut([one.id], true)"
          >
            Leave out
          </button>
          <button class="button" :aria-label="`Keep ${one.name}`" @click="store.keep(one.id)">
            Keep
          </button>
        </div>
      </li>
    </ul>
  </div>
</template>
