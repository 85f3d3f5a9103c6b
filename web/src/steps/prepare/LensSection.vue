<script setup lang="ts">
// What is known of the lens: found from the shoot's own frames, or by hand.
import { computed, ref } from 'vue'
import { api } from '../../api/client'
import type { LensFrom, LensPlan, Plan } from '../../api/types'
import { useShoot } from '../../state/shoot'
import {
  colourOf,
  distortionOf,
  halfDiagonal,
  plainLens,
  setColour,
  setDistortion,
  setShading,
  shadingOf,
  toldLens,
} from './lens'
import PlanSlider from '../../ui/PlanSlider.vue'

const store = useShoot()
const lens = computed(() => store.shoot!.plan.prepare.lens)
const some = computed(() => JSON.stringify(lens.value) !== JSON.stringify(plainLens()))
const flats = computed(() => store.calibration.filter((f) => f.role === 'flat'))
/** Flats that are in give back all of what the lens keeps. */
const flattened = computed(() => flats.value.some((f) => !f.left_out))
/** Without a frame pixels mean nothing. */
const half = computed(() => {
  const facts = store.reference?.facts
  return facts ? halfDiagonal(facts) : null
})

const looking = ref<LensFrom | null>(null)
const told = ref<string[]>([])

async function find(from: LensFrom) {
  const { id } = store.shoot!
  looking.value = from
  told.value = []
  const found = await store.attempt(() => api.lens(id, from))
  looking.value = null
  if (!found || store.shoot?.id !== id) return
  told.value = toldLens(found)
  await store.setPlan((plan) => (plan.prepare.lens = found.lens))
}

async function leave() {
  told.value = []
  await store.setPlan((plan) => (plan.prepare.lens = plainLens()))
}

function set(change: (lens: LensPlan, value: number) => void) {
  return (plan: Plan, value: number) => {
    told.value = []
    change(plan.prepare.lens, value)
  }
}
</script>

<template>
  <div class="section" data-test="lens">
    <div class="flex items-baseline justify-between pb-1.5">
      <h3>Lens</h3>
      <button v-if="some" class="text-dim hover:text-ink" data-test="lens-none" @click="leave">
        Leave as it is
      </button>
    </div>
    <button
      class="button mb-2 w-full"
      :disabled="looking !== null || store.used.length < 3"
      title="Under a turning sky stars only turn: what else they do is the lens"
      data-test="lens-stars"
      @click="find('stars')"
    >
      {{ looking === 'stars' ? 'Looking at the stars …' : 'Find it from the stars' }}
    </button>
    <ul v-if="told.length" class="mb-2 text-dim" data-test="lens-told">
      <li v-for="line in told" :key="line" class="py-0.5">{{ line }}</li>
    </ul>
    <PlanSlider
      label="Distortion"
      unit=" %"
      hint="How far the corners are drawn from where they belong, of half the diagonal; outward above 0"
      :min="-10"
      :max="10"
      :step="0.1"
      :digits="1"
      :value="distortionOf(lens)"
      test="lens-distortion"
      :set="set(setDistortion)"
    />
    <PlanSlider
      v-if="half"
      label="Red fringe"
      unit=" px"
      hint="How far red is drawn beside green at the corners; outward above 0"
      :min="-6"
      :max="6"
      :step="0.05"
      :digits="2"
      :value="colourOf(lens, 'red', half)"
      test="lens-red"
      :set="set((own, px) => setColour(own, 'red', px, half!))"
    />
    <PlanSlider
      v-if="half"
      label="Blue fringe"
      unit=" px"
      hint="How far blue is drawn beside green at the corners; outward above 0"
      :min="-6"
      :max="6"
      :step="0.05"
      :digits="2"
      :value="colourOf(lens, 'blue', half)"
      test="lens-blue"
      :set="set((own, px) => setColour(own, 'blue', px, half!))"
    />
    <p v-if="flattened" class="pb-1 text-dim">The flats give back what the corners lost.</p>
    <template v-else>
      <PlanSlider
        label="Corners darker by"
        unit=" EV"
        hint="How much less light the lens lets through at the corners"
        :min="0"
        :max="3"
        :step="0.05"
        :digits="2"
        :value="shadingOf(lens)"
        test="lens-shading"
        :set="set(setShading)"
      />
    </template>
    <button
      v-if="flats.length"
      class="button mb-1 w-full"
      :disabled="looking !== null"
      title="Kept for shoots through this lens that have no flats"
      data-test="lens-flats"
      @click="find('flats')"
    >
      {{ looking === 'flats' ? 'Looking at the flats …' : 'Find the shading from the flats' }}
    </button>
  </div>
</template>
