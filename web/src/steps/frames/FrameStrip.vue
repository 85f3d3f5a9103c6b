<script setup lang="ts">
// The frames under the picture: as columns, as a table, or one measure over the time.
import { ChartSpline, GalleryHorizontal, Table2 } from '@lucide/vue'
import { computed, ref, watch } from 'vue'
import { factLine } from '../../domain/units'
import { useShoot } from '../../state/shoot'
import { choose } from '../../domain/groups'
import FrameColumns from './FrameColumns.vue'
import FramePlot from './FramePlot.vue'
import FrameTable from './FrameTable.vue'
import { type MeasureName, measures } from '../../domain/measures'
import { isKeyOf } from '../../app/commands'
import { isStep } from './commands'
import { useLayout } from '../../state/layout'
import FoldButton from '../../ui/FoldButton.vue'

const store = useShoot()
const layout = useLayout()
const strip = ref<HTMLElement>()
const ways = [
  { name: 'columns' as const, text: 'Columns', icon: GalleryHorizontal },
  { name: 'table' as const, text: 'Table', icon: Table2 },
  { name: 'plot' as const, text: 'Plot over time', icon: ChartSpline },
]
const way = ref<'columns' | 'table' | 'plot'>('columns')

/** What bars and plot show: stars where there are some in most frames, else details. */
const starry = computed(() => {
  if (!store.rules.judges_stars) return false
  const known = store.stack.flatMap((f) => (f.measures ? [f.measures.stars] : []))
  return known.filter((stars) => stars >= 25).length * 2 > known.length
})
const shows = ref<MeasureName>('stars')
watch(starry, (is) => (shows.value = is ? 'stars' : 'sharpness'), { immediate: true })

const frame = computed(() => store.shoot?.frames.find((f) => f.id === store.selected))
const all = computed(() => store.groups.flatMap((g) => g.frames))

const told = computed(() => (frame.value?.facts ? factLine(frame.value.facts) : ''))

/** The order in which frames stand, which a table may change. */
const standing = ref<number[] | null>(null)
watch(way, () => (standing.value = null))
const order = computed(() => standing.value ?? all.value.map((f) => f.id))

function pick(id: number, event?: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }) {
  const how = {
    range: event?.shiftKey ?? false,
    toggle: (event?.ctrlKey ?? false) || (event?.metaKey ?? false),
  }
  const from = store.selected
  const before = store.chosen.length || from === null ? store.chosen : [from]
  store.chosen = choose(before, order.value, from, id, how)
  store.selected = id
  store.a = `frame-${id}`
}

function key(event: KeyboardEvent) {
  if (event.target instanceof HTMLSelectElement) return
  const one = frame.value
  const at = order.value.indexOf(store.selected ?? -1)
  const table = way.value === 'table'
  const is = (id: string, row: string) => (table ? event.key === row : isStep(event, id))
  const step = is('frames.next', 'ArrowDown') ? 1 : is('frames.last', 'ArrowUp') ? -1 : 0
  if (step) {
    event.preventDefault()
    const id = order.value[Math.min(order.value.length - 1, Math.max(0, at + step))]
    if (id === undefined) return
    pick(id, event)
    strip.value?.querySelector<HTMLElement>(`[data-frame="${id}"]`)?.focus()
  } else if (isKeyOf(event, 'frames.out') && one?.role === 'light') {
    const ids = store.chosen.includes(one.id) ? store.chosen : [one.id]
    void store.leaveOut(ids, !one.left_out)
  } else if (
    isKeyOf(event, 'frames.main') &&
    one?.role === 'light' &&
    !one.left_out &&
    store.rules.chooses_reference
  ) {
    void store.setReference(one.id)
  } else if (isKeyOf(event, 'frames.none')) {
    store.chosen = []
  }
}
</script>

<template>
  <section ref="strip" class="border-t border-rule px-3.5 py-2" aria-label="Frames" @keydown="key">
    <div
      class="flex h-6 items-center gap-3 overflow-hidden pointer-coarse:h-11 text-small whitespace-nowrap text-dim"
    >
      <template v-if="frame">
        <b class="font-semibold text-ink">{{ frame.name }}</b>
        <span class="num truncate" data-test="told">{{ told }}</span>
      </template>
      <b v-else class="font-semibold text-ink">Frames</b>
      <template v-if="all.length">
        <label v-if="way !== 'table'" class="ml-auto flex items-center gap-1.5">
          {{ way === 'columns' ? 'Bars' : 'Plot' }}
          <select
            v-model="shows"
            class="rounded border border-edge bg-paper px-1 py-0.5 text-ink"
            data-test="measure"
          >
            <option v-for="one in measures" :key="one.name" :value="one.name">
              {{ one.label }}
            </option>
          </select>
        </label>
        <span
          class="flex gap-0.5"
          :class="way === 'table' && 'ml-auto'"
          role="group"
          aria-label="Frames as"
        >
          <button
            v-for="one in ways"
            :key="one.name"
            class="rounded p-1"
            :class="way === one.name ? 'bg-jade-deep text-jade' : 'hover:text-ink'"
            :title="one.text"
            :aria-label="one.text"
            :aria-pressed="way === one.name"
            :data-test="`frames-${one.name}`"
            @click="way = one.name"
          >
            <component :is="one.icon" :size="15" />
          </button>
        </span>
      </template>
      <FoldButton
        :class="!all.length && 'ml-auto'"
        panel="the frames"
        open
        edge="bottom"
        data-test="fold-strip"
        @toggle="layout.toggle('strip')"
      />
    </div>
    <p v-if="!all.length" class="flex h-24.5 items-center text-dim">
      No frames yet. Add files or a folder on the left, or drop them here.
    </p>
    <FrameColumns v-else-if="way === 'columns'" :shows="shows" @pick="pick" />
    <FrameTable v-else-if="way === 'table'" v-model:order="standing" @pick="pick" />
    <FramePlot v-else :shows="shows" @pick="pick" />
  </section>
</template>
