<script setup lang="ts">
// What would spoil the stack, or should be known before it.
import { useShoot } from '../../state/shoot'
import { useLook } from './look'

const store = useShoot()
const look = useLook()
</script>

<template>
  <div v-if="store.shoot!.checks.length" class="section" data-test="checks">
    <h3>Before stacking</h3>
    <ul class="flex flex-col gap-2.5">
      <li v-for="check in store.shoot!.checks" :key="check.text">
        <p class="text-dim">{{ check.text }}</p>
        <div v-if="check.frame_ids.length" class="mt-1 grid grid-cols-2 gap-1.5">
          <button class="button" @click="look(check.frame_ids[0]!)">
            {{ check.frame_ids.length === 1 ? 'Look at it' : 'Look at one' }}
          </button>
          <button
            v-if="check.leave_out"
            class="button"
            @click="store.leaveOut(check.frame_ids, true)"
          >
            Leave {{ check.frame_ids.length === 1 ? 'it' : `all ${check.frame_ids.length}` }} out
          </button>
          <button
            v-if="check.balance"
            class="button"
            data-test="one-balance"
            @click="store.balanceAlike()"
          >
            Balance all alike
          </button>
        </div>
      </li>
    </ul>
  </div>
</template>
