<script setup lang="ts">
// Size and softness of a brush.
defineProps<{ softens: boolean }>()
const radius = defineModel<number>('radius', { required: true })
const soft = defineModel<number>('soft', { required: true })
</script>

<template>
  <label class="mt-2.5 block">
    <span class="flex justify-between text-dim"
      ><span>Size</span><span class="num text-ink">{{ radius * 2 }} px on screen</span></span
    >
    <input
      v-model.number="radius"
      type="range"
      min="2"
      max="120"
      class="w-full accent-[#5cc8a1]"
      data-test="brush-size"
    />
  </label>
  <label v-if="softens" class="block">
    <span class="flex justify-between text-dim"
      ><span>Brush softness</span
      ><span class="num text-ink">{{ `${Math.round(soft * 100)} %` }}</span></span
    >
    <input
      v-model.number="soft"
      type="range"
      min="0"
      max="1"
      step="0.05"
      class="w-full accent-[#5cc8a1]"
    />
  </label>
</template>
