<script setup lang="ts">
// Frames as columns, set by set. Dragging across columns leaves frames out, or takes them in when
// it begins on one that is out; dragging into another set moves them there.
import { computed, ref } from 'vue'
import { thumbnail } from '../api/client'
import type { Frame } from '../api/types'
import { toldChange } from '../prepare/differences'
import { useShoot } from '../shoot/store'
import type { Group } from './groups'
import { useMarks } from './marks'
import { type MeasureName, measure, measured } from './measures'

const props = defineProps<{ shows: MeasureName }>()
const emit = defineEmits<{ pick: [id: number, event: MouseEvent] }>()
const store = useShoot()
const { doubt, remark } = useMarks()

const highest = computed(() => {
  const values = store.lights.map((f) => measured(f, props.shows) ?? 0)
  return Math.max(...values, 1e-9)
})

/** How single frames are treated otherwise. */
const differs = computed(
  () =>
    new Map(
      store.shoot?.plan.differences.map(
        (own) =>
          [
            own.blake3,
            toldChange(own.change)
              .map((one) => one.text)
              .join(', '),
          ] as const,
      ),
    ),
)

/** Height of a frame's bar as a share of the highest. */
function bar(one: Frame): number | null {
  const value = one.role === 'light' ? measured(one, props.shows) : null
  return value === null ? null : value / highest.value
}

function title(one: Frame): string {
  if (one.left_out) return `${one.name}, left out`
  const reason = remark(one)
  const value = measured(one, props.shows)
  const { label, told } = measure(props.shows)
  const own = differs.value.get(one.blake3)
  const shows =
    (value === null ? '' : `, ${label}: ${told(value)}`) +
    (own ? `, treated otherwise: ${own}` : '')
  return reason ? `${one.name}: ${reason}` : `${one.name}${shows}`
}

/** Letters that all names begin with tell nothing, and columns are narrow. */
const common = computed(() => {
  const [first, ...others] = store.groups.flatMap((g) => g.frames.map((f) => f.name))
  const letters = first?.match(/^\D+(?=\d)/)?.[0] ?? ''
  return others.every((name) => name.startsWith(letters)) ? letters : ''
})

function short(one: Frame): string {
  const name = one.name.replace(/\.[^.]+$/, '')
  return name.length > 5 ? name.slice(common.value.length) : name
}

interface Drag {
  from: Frame
  group: Group
  to: Frame
  over: Group
}
const drag = ref<Drag | null>(null)
const moving = computed(() => drag.value !== null && drag.value.over.key !== drag.value.group.key)
const swept = computed(() => {
  if (!drag.value || moving.value || drag.value.from.role !== 'light') return new Set<number>()
  const ids = drag.value.group.frames.map((f) => f.id)
  const ends = [ids.indexOf(drag.value.from.id), ids.indexOf(drag.value.to.id)]
  return new Set(ids.slice(Math.min(...ends), Math.max(...ends) + 1))
})
/** What is moved: all that is chosen, where the dragged frame is one of them. */
const moved = computed(() => {
  if (!drag.value) return []
  const { id } = drag.value.from
  return store.chosen.includes(id) ? store.chosen : [id]
})

function down(event: PointerEvent, from: Frame, group: Group) {
  if (event.button !== 0 || event.shiftKey || event.ctrlKey || event.metaKey) return
  drag.value = { from, group, to: from, over: group }
}

function move(event: PointerEvent) {
  if (!drag.value) return
  const at = document.elementFromPoint(event.clientX, event.clientY)
  const key = at?.closest('[data-group]')?.getAttribute('data-group')
  const over = store.groups.find((g) => g.key === key)
  if (over) drag.value.over = over
  const id = Number(at?.closest('[data-frame]')?.getAttribute('data-frame'))
  const to = drag.value.group.frames.find((f) => f.id === id)
  if (to) drag.value.to = to
}

function up() {
  const done = drag.value
  const [ids, out] = [[...swept.value], !done?.from.left_out]
  const [where, what] = [moving.value ? done?.over : null, moved.value]
  drag.value = null
  if (where) {
    if (where.set) void store.moveTo(what, where.set)
    else void store.setRole(what, where.role)
  } else if (done && done.from.id !== done.to.id && ids.length) {
    void store.leaveOut(ids, out)
  }
}

function border(one: Frame): string {
  if (one.id === store.reference?.id) return 'border-jade'
  if (one.id === store.selected) return 'border-ink'
  return remark(one) ? 'border-amber' : 'border-transparent'
}
</script>

<template>
  <div
    class="relative mt-1.5 flex min-h-[92px] items-start gap-1 overflow-x-auto pb-1"
    data-test="columns"
    @pointermove="move"
    @pointerup="up"
    @pointerleave="drag = null"
  >
    <div
      v-for="group in store.groups"
      :key="group.key"
      class="flex gap-1 rounded-md"
      :class="moving && drag?.over.key === group.key && 'outline outline-2 outline-jade'"
      :style="`flex: ${group.frames.length} 0 ${group.frames.length * 38 + 14}px`"
      :data-group="group.key"
    >
      <button
        v-if="store.groups.length > 1"
        class="max-h-[88px] shrink-0 truncate border-l border-rule pl-1 text-left text-[10.5px] [writing-mode:vertical-rl]"
        :class="group.stacked ? 'text-jade' : 'text-faint'"
        :title="`${group.name}: choose its frames`"
        @click="store.chosen = group.frames.map((f) => f.id)"
      >
        {{ group.name }}
      </button>
      <button
        v-for="one in group.frames"
        :key="one.id"
        class="min-w-[34px] flex-1 basis-0 rounded-[4px] text-center select-none"
        :class="store.chosen.length > 1 && store.chosen.includes(one.id) && 'bg-jade-deep'"
        style="max-width: 108px"
        :title="title(one)"
        :aria-label="title(one)"
        :aria-pressed="one.id === store.selected"
        :data-frame="one.id"
        @pointerdown="down($event, one, group)"
        @click="emit('pick', one.id, $event)"
      >
        <span
          class="relative block h-[46px] overflow-hidden rounded-[4px] border-2"
          :class="border(one)"
        >
          <img
            :src="thumbnail(`frame-${one.id}`, one.version)"
            alt=""
            draggable="false"
            loading="lazy"
            class="h-full w-full object-cover"
            :class="(one.left_out || swept.has(one.id)) && 'opacity-25'"
          />
          <span
            v-if="differs.has(one.blake3)"
            class="absolute top-0 right-0 h-0 w-0 border-t-[9px] border-l-[9px] border-t-amber border-l-transparent"
            data-test="differs"
          />
          <span
            v-if="one.left_out"
            class="absolute inset-0"
            style="
              background: repeating-linear-gradient(45deg, #85847f66 0 2px, transparent 2px 7px);
            "
          />
        </span>
        <span class="mt-[3px] flex h-[14px] items-end" data-test="bar">
          <span
            v-if="bar(one) !== null"
            class="block w-full rounded-[1px]"
            :class="doubt(one) ? 'bg-amber' : one.left_out ? 'bg-rule' : 'bg-dim/60'"
            :style="`height: ${Math.max(8, (bar(one) ?? 0) * 100)}%`"
          />
        </span>
        <span
          class="num block truncate text-[10.5px]"
          :class="
            one.left_out
              ? 'text-faint line-through'
              : one.id === store.reference?.id
                ? 'text-jade'
                : 'text-dim'
          "
        >
          {{ short(one) }}
        </span>
      </button>
    </div>
    <p
      v-if="moving && drag"
      class="pointer-events-none fixed bottom-[150px] left-1/2 z-20 -translate-x-1/2 rounded-lg border border-jade bg-raised px-3 py-1.5"
    >
      Move {{ moved.length === 1 ? drag.from.name : `${moved.length} frames` }} to
      {{ drag.over.name }}
    </p>
  </div>
</template>
