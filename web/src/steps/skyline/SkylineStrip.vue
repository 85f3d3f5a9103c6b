<script setup lang="ts">
// The margin along the skyline, enlarged, to walk through.
import { computed, inject, ref, watch } from 'vue'
import { lookAt } from '../../state/look'
import { useLayout } from '../../state/layout'
import FoldButton from '../../ui/FoldButton.vue'
import { useShoot } from '../../state/shoot'
import { patchUrl } from '../../domain/tiles'
import { useView } from '../../state/view'
import { useSkyline } from './skyline'

const show = inject(lookAt)
const layout = useLayout()
const store = useShoot()
const view = useView()
const skyline = useSkyline()
const strip = ref<HTMLElement>()

/** Pixels of the picture in one piece. */
const SIZE = 80
const order = ref<'along' | 'unsure'>('along')
const facts = computed(() => skyline.info)
const places = computed(() => {
  const info = facts.value
  if (!info || !skyline.seen) return []
  const inside = (v: number, size: number) =>
    Math.round(Math.min(Math.max(0, v - SIZE / 2), Math.max(0, size - SIZE)))
  const all = skyline.seen.places.map(([x, y, unsure], i) => ({
    i,
    x,
    y,
    unsure,
    left: inside(x, info.width),
    top: inside(y, info.height),
  }))
  return order.value === 'along' ? all : [...all].sort((p, q) => q.unsure - p.unsure)
})
const frame = computed(() => store.reference)
const laid = computed(() => (skyline.laid === 'none' ? 'hatching' : skyline.laid))

watch(places, (now) => {
  if (skyline.at !== null && skyline.at >= now.length) skyline.at = null
})

type Place = (typeof places.value)[number]
function patch(source: string, version: string, { left, top }: Place, how: string) {
  return patchUrl(source, version, { x: left, y: top, size: SIZE }, how)
}

function look(index: number) {
  const place = places.value[index]
  if (!place) return
  skyline.at = index
  show?.(place.x, place.y)
  strip.value
    ?.querySelector<HTMLElement>(`[data-place="${index}"]`)
    ?.scrollIntoView({ block: 'nearest', inline: 'center' })
}

function key(event: KeyboardEvent) {
  const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0
  if (!step) return
  event.preventDefault()
  const next = Math.min(places.value.length - 1, Math.max(0, (skyline.at ?? -1) + step))
  look(next)
  strip.value?.querySelector<HTMLElement>(`[data-place="${next}"]`)?.focus()
}
</script>

<template>
  <section
    class="border-t border-rule px-3.5 py-2"
    aria-label="Along the skyline"
    data-test="skyline-strip"
    @keydown="key"
  >
    <div
      class="flex h-6 items-center gap-3 text-small pointer-coarse:h-11 whitespace-nowrap text-dim"
    >
      <b class="font-semibold text-ink">Along the skyline</b>
      <span v-if="places.length" class="num">{{ places.length }} places, {{ SIZE }} px each</span>
      <label v-if="places.length" class="ml-auto flex items-center gap-1.5">
        Order
        <select
          v-model="order"
          class="rounded border border-edge bg-paper px-1 py-0.5 text-ink"
          data-test="strip-order"
        >
          <option value="along">from left to right</option>
          <option value="unsure">unsure first</option>
        </select>
      </label>
      <FoldButton
        :class="!places.length && 'ml-auto'"
        panel="the margin"
        open
        edge="bottom"
        @toggle="layout.toggle('strip')"
      />
    </div>
    <p v-if="!places.length" class="flex h-24.5 items-center text-dim">
      The margin between sky and ground is shown here, enlarged, once it is found.
    </p>
    <div v-else ref="strip" class="flex gap-1 overflow-x-auto pt-1 pb-1">
      <button
        v-for="(place, index) in places"
        :key="`${place.i} ${order}`"
        class="relative h-24 w-24 shrink-0 overflow-hidden rounded border-2"
        :class="skyline.at === index ? 'border-jade' : 'border-transparent hover:border-rule'"
        :aria-label="`Place ${index + 1} of the skyline`"
        :data-place="index"
        @click="look(index)"
      >
        <img
          v-if="frame"
          :src="patch(`frame-${frame.id}`, frame.version, place, `stops=${view.stops}`)"
          class="absolute inset-0 h-full w-full"
          style="image-rendering: pixelated"
          alt=""
          loading="lazy"
        />
        <img
          :src="patch(`skyline-${store.shoot!.id}`, skyline.seen!.version, place, `laid=${laid}`)"
          class="absolute inset-0 h-full w-full"
          style="image-rendering: pixelated"
          alt=""
          loading="lazy"
        />
        <span
          v-if="place.unsure > 0.25"
          class="absolute top-1 right-1 h-2 w-2 rounded-full bg-amber"
          title="Unsure here"
        />
      </button>
    </div>
  </section>
</template>
