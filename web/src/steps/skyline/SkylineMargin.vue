<script setup lang="ts">
// The margin between sky and ground, and the mask as a file.
import { computed, ref } from 'vue'
import { useShoot } from '../../state/shoot'
import PlanSlider from '../../ui/PlanSlider.vue'
import { loaded } from './loading'
import { useSkyline } from './skyline'

const store = useShoot()
const skyline = useSkyline()
const plan = computed(() => store.shoot!.plan.skyline)
const mask = ref<HTMLInputElement>()

async function loadMask(event: Event) {
  const kept = await loaded(event, 'mask')
  if (!kept) return
  await store.setPlan((p) => {
    p.skyline.mask = kept
    p.skyline.mode = 'mask'
  }, 'loading a mask')
}
</script>

<template>
  <section class="section">
    <h3>Margin</h3>
    <PlanSlider
      label="Grow ground"
      hint="Into the sky, or back into the ground"
      unit=" px"
      :min="-12"
      :max="12"
      :step="0.5"
      :digits="1"
      :value="plan.margin_px"
      test="margin"
      :set="(p, v) => (p.skyline.margin_px = v)"
    />
    <PlanSlider
      label="Softness"
      unit=" px"
      :min="0"
      :max="12"
      :step="0.5"
      :digits="1"
      :value="plan.soft_px"
      test="softness"
      :set="(p, v) => (p.skyline.soft_px = v)"
    />
    <div class="flex flex-wrap items-center gap-2">
      <button class="button" data-test="mask-load" @click="mask?.click()">Load a mask</button>
      <a
        v-if="skyline.seen"
        class="button"
        :href="skyline.ready ? `/api/shoots/${store.shoot!.id}/skyline/mask.png` : undefined"
        :aria-disabled="!skyline.ready"
        download
        data-test="mask-save"
        >Save mask as PNG</a
      >
      <a
        v-if="skyline.seen"
        class="button"
        :href="skyline.ready ? `/api/shoots/${store.shoot!.id}/skyline/mask.tif` : undefined"
        :aria-disabled="!skyline.ready"
        download
        >TIFF</a
      >
    </div>
    <input
      ref="mask"
      type="file"
      class="hidden"
      accept=".png,.tif,.tiff"
      data-test="mask-file"
      @change="loadMask"
    />
  </section>
</template>
