<script setup lang="ts">
import { computed } from 'vue'
import { useShoot } from '../../state/shoot'

const store = useShoot()
const left = computed(() => store.shown?.report.frames.filter((f) => !f.used) ?? [])
</script>

<template>
  <div v-if="left.length" class="section mt-2" data-test="left-out">
    <h3 class="text-amber">{{ left.length }} left out of the result</h3>
    <p v-for="frame in left" :key="frame.file" class="mb-1 text-dim">
      <span class="num text-ink">{{ frame.file }}</span> {{ frame.reason }}
    </p>
  </div>
</template>
