<script setup lang="ts">
// Frames as a table that is sorted by any column.
import { ChevronDown, ChevronUp } from '@lucide/vue'
import { computed, ref, watch } from 'vue'
import type { Frame } from '../../api/types'
import { useShoot } from '../../state/shoot'
import { useMarks } from '../../domain/marks'
import { columnsOf, words, type Column } from './columns'

/** The frames' numbers in the order of the rows. */
const order = defineModel<number[] | null>('order', { required: true })
const emit = defineEmits<{ pick: [id: number, event?: MouseEvent] }>()
const store = useShoot()
const { remark } = useMarks()

const groupOf = computed(
  () => new Map(store.groups.flatMap((g) => g.frames.map((f) => [f.id, g.name] as const))),
)

const columns = columnsOf((f) => groupOf.value.get(f.id) ?? '', state)

const by = ref<Column | null>(null)
const down = ref(false)

/** Rows as they were first, or by a column; what has no value comes last. */
const rows = computed(() => {
  const all = store.groups.flatMap((g) => g.frames)
  const column = by.value
  if (!column) return all
  const turn = down.value ? -1 : 1
  return [...all].sort((one, other) => {
    const [p, q] = [column.by(one), column.by(other)]
    if (p === null || q === null) return Number(p === null) - Number(q === null)
    if (typeof p === 'string' || typeof q === 'string') {
      return turn * String(p).localeCompare(String(q), 'en', { numeric: true })
    }
    return turn * (p - q)
  })
})
watch(rows, (now) => (order.value = now.map((f) => f.id)), { immediate: true })

/** A first click sorts upwards, a second downwards, a third not at all. */
function sort(column: Column) {
  if (by.value?.name !== column.name) [by.value, down.value] = [column, false]
  else if (!down.value) down.value = true
  else by.value = null
}

function state(one: Frame): string {
  if (one.left_out) return 'left out'
  if (one.id === store.reference?.id) return 'reference'
  return remark(one) ? 'doubted' : ''
}

function tone(one: Frame): string {
  if (one.left_out) return 'text-faint'
  return one.id === store.reference?.id ? 'text-jade' : 'text-amber'
}
</script>

<template>
  <div class="mt-1.5 h-[34vh] overflow-auto rounded-md border border-rule" data-test="table">
    <table class="w-full border-collapse text-small whitespace-nowrap">
      <thead class="sticky top-0 z-10 bg-raised text-left">
        <tr>
          <th
            v-for="column in columns"
            :key="column.name"
            class="font-normal"
            :aria-sort="by?.name !== column.name ? 'none' : down ? 'descending' : 'ascending'"
          >
            <button
              class="flex w-full items-center gap-0.5 px-1.5 py-1 hover:text-jade"
              :class="by?.name === column.name ? 'text-jade' : 'text-dim'"
              :data-test="`sort-by-${column.name}`"
              @click="sort(column)"
            >
              {{ column.head }}
              <component
                :is="down ? ChevronDown : ChevronUp"
                v-if="by?.name === column.name"
                :size="12"
              />
            </button>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(one, index) in rows"
          :key="one.id"
          class="border-t border-rule/60 select-none"
          :class="[
            store.chosen.includes(one.id) || one.id === store.selected
              ? 'bg-jade-deep'
              : 'hover:bg-sheet',
            one.left_out && 'text-faint line-through',
          ]"
          :tabindex="one.id === store.selected || (index === 0 && store.selected === null) ? 0 : -1"
          :data-frame="one.id"
          :aria-selected="one.id === store.selected"
          @click="emit('pick', one.id, $event)"
          @keydown.enter="emit('pick', one.id)"
        >
          <td
            v-for="column in columns"
            :key="column.name"
            class="px-1.5 py-0.5"
            :class="[!words.includes(column.name) && 'num', column.name === 'state' && tone(one)]"
            :title="column.name === 'state' ? (remark(one) ?? '') : ''"
          >
            {{ column.told(one) }}
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
