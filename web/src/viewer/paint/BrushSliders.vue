<script setup lang="ts">
// Size and softness of a brush.
import NumberSlider from '../../ui/NumberSlider.vue'

defineProps<{ softens: boolean }>()
/** In pixels of the screen. */
const radius = defineModel<number>('radius', { required: true })
const soft = defineModel<number>('soft', { required: true })
</script>

<template>
  <div class="mt-2.5">
    <NumberSlider
      label="Brush size"
      unit=" px"
      hint="Its width on the screen, the same at every zoom"
      :min="4"
      :max="240"
      :step="2"
      :value="radius * 2"
      :usual="null"
      test="brush-size"
      @input="radius = $event / 2"
      @change="radius = $event / 2"
    />
    <NumberSlider
      v-if="softens"
      label="Brush softness"
      unit=" %"
      :min="0"
      :max="100"
      :step="5"
      :value="Math.round(soft * 100)"
      :usual="null"
      test="brush-soft"
      @input="soft = $event / 100"
      @change="soft = $event / 100"
    />
  </div>
</template>
