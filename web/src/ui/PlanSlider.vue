<script setup lang="ts">
// A number of the plan that is seen in the picture while it is dragged.
import { computed, ref } from 'vue'
import type { Plan } from '../api/types'
import { useShoot } from '../state/shoot'
import NumberSlider from './NumberSlider.vue'
import type { Slider } from './slider'

/** The picture follows as fast as the server answers, and not every pixel of the way. */
const FOLLOWS = 60
/** Changes that follow each other within this are undone as one, as those of a held key. */
const ONE = 700

const props = defineProps<Slider & { set: (plan: Plan, value: number) => void }>()
const store = useShoot()

/** What is dragged to, while it is dragged. */
const dragged = ref<number | null>(null)
/** Names the drag, so that it is undone as one. */
let gesture = ''
let following = 0
let ending = 0
const shown = computed(() => ({ ...props, set: undefined, value: dragged.value ?? props.value }))

function begin(value: number) {
  dragged.value = value
  gesture ||= `${props.test} ${Date.now()}`
  clearTimeout(ending)
}

function input(value: number) {
  begin(value)
  if (!following) following = window.setTimeout(follow, FOLLOWS)
}

function follow() {
  following = 0
  if (dragged.value !== null) void amend(dragged.value)
}

function change(value: number) {
  begin(value)
  clearTimeout(following)
  following = 0
  void amend(value)
  void store.settle()
  dragged.value = null
  ending = window.setTimeout(() => (gesture = ''), ONE)
}

function amend(value: number) {
  return store.setPlan((plan) => props.set(plan, value), props.label.toLowerCase(), gesture)
}
</script>

<template>
  <NumberSlider v-bind="shown" @input="input" @change="change" />
</template>
