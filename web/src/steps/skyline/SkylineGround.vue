<script setup lang="ts">
// Where the ground comes from, and how it is combined.
import { computed, ref } from 'vue'
import type { GroundFrom, Method } from '../../api/types'
import { inPercent, methodNames } from '../../domain/units'
import { useShoot } from '../../state/shoot'
import PlanSlider from '../../ui/PlanSlider.vue'
import Segmented from '../../ui/Segmented.vue'
import { loaded } from './loading'

const store = useShoot()
const plan = computed(() => store.shoot!.plan.skyline)
const picture = ref<HTMLInputElement>()

const method = computed<Method>({
  get: () => plan.value.ground.method,
  set: (method) => void store.setPlan((p) => (p.skyline.ground.method = method)),
})
/** Sets that are not the sky's. */
const sets = computed(() =>
  store.groups.filter((g) => g.set && !g.stacked && g.frames.some((f) => f.role === 'light')),
)
const sources = computed(() => [
  { value: 'same', text: 'The sky’s frames, not aligned' },
  ...sets.value.map((g) => ({ value: `set ${g.set!.id}`, text: `Set: ${g.set!.name}` })),
  ...store.used.map((f) => ({ value: `frame ${f.blake3}`, text: `One frame: ${f.name}` })),
  ...(from.value.by === 'picture'
    ? [{ value: 'picture', text: `Picture: ${from.value.file}` }]
    : []),
  { value: 'load', text: 'A finished picture …' },
])
const from = computed<GroundFrom>(() => plan.value.ground.from)
const source = computed<string>({
  get: () => {
    const now = from.value
    if (now.by === 'set') return `set ${now.set}`
    return now.by === 'frame' ? `frame ${now.blake3}` : now.by
  },
  set: (value) => {
    if (value === 'load') return picture.value?.click()
    const [by, which] = value.split(' ')
    const now: GroundFrom =
      by === 'set'
        ? { by: 'set', set: Number(which) }
        : by === 'frame'
          ? { by: 'frame', blake3: which! }
          : by === 'picture'
            ? from.value
            : { by: 'same' }
    void store.setPlan((p) => (p.skyline.ground.from = now), 'the ground’s source')
  },
})
const several = computed(() => from.value.by === 'same' || from.value.by === 'set')
const elsewhere = computed(() => from.value.by === 'set' || from.value.by === 'picture')

async function loadPicture(event: Event) {
  const kept = await loaded(event, 'picture')
  if (!kept) return
  await store.setPlan(
    (p) => (p.skyline.ground.from = { by: 'picture', ...kept }),
    'the ground’s picture',
  )
}
</script>

<template>
  <section class="section">
    <h3>Ground</h3>
    <select
      v-model="source"
      class="field"
      aria-label="Where the ground comes from"
      data-test="ground-source"
    >
      <option v-for="one in sources" :key="one.value" :value="one.value">{{ one.text }}</option>
    </select>
    <div v-if="several" class="mt-2">
      <Segmented
        v-model="method"
        label="Ground"
        :options="
          (['mean', 'median', 'clipped'] as const).map((m) => ({
            value: m,
            text: methodNames[m][0]!.toUpperCase() + methodNames[m].slice(1),
          }))
        "
      />
    </div>
    <div v-if="elsewhere" class="mt-2">
      <PlanSlider
        label="As bright as the sky’s frames"
        hint="Brightness and colour are measured on the ground; 0 leaves them as they are"
        unit=" %"
        :min="0"
        :max="100"
        :step="5"
        :value="inPercent(plan.ground.matched)"
        test="matched"
        :set="(p, v) => (p.skyline.ground.matched = v / 100)"
      />
    </div>
    <input
      ref="picture"
      type="file"
      class="hidden"
      accept=".png,.tif,.tiff,.jpg,.jpeg"
      data-test="ground-file"
      @change="loadPicture"
    />
  </section>
</template>
