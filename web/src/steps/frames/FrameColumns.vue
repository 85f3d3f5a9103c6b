<script setup lang="ts">
// Frames as columns, set by set.
import { thumbnail } from '../../api/client'
import { useShoot } from '../../state/shoot'
import type { MeasureName } from '../../domain/measures'
import { useColumnText } from './columnText'
import { useDrag } from './drag'

const props = defineProps<{ shows: MeasureName }>()
const emit = defineEmits<{ pick: [id: number, event: MouseEvent] }>()
const store = useShoot()

const { differs, bar, title, short, border, doubt } = useColumnText(() => props.shows)
const { drag, moving, swept, moved, down, move, up } = useDrag()
</script>

<template>
  <div
    class="relative mt-1.5 flex min-h-23 items-start gap-1 overflow-x-auto pb-1"
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
        class="max-h-22 shrink-0 truncate border-l border-rule pl-1 text-left text-tiny [writing-mode:vertical-rl]"
        :class="group.stacked ? 'text-jade' : 'text-faint'"
        :title="`${group.name}: choose its frames`"
        @click="store.chosen = group.frames.map((f) => f.id)"
      >
        {{ group.name }}
      </button>
      <button
        v-for="one in group.frames"
        :key="one.id"
        class="min-w-8.5 flex-1 basis-0 rounded-[4px] text-center select-none"
        :class="store.chosen.length > 1 && store.chosen.includes(one.id) && 'bg-jade-deep'"
        style="max-width: 6.75rem"
        :title="title(one)"
        :aria-label="title(one)"
        :aria-pressed="one.id === store.selected"
        :data-frame="one.id"
        @pointerdown="down($event, one, group)"
        @click="emit('pick', one.id, $event)"
      >
        <span
          class="relative block h-11.5 overflow-hidden rounded-[4px] border-2"
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
        <span class="mt-0.75 flex h-3.5 items-end" data-test="bar">
          <span
            v-if="bar(one) !== null"
            class="block w-full rounded-[1px]"
            :class="doubt(one) ? 'bg-amber' : one.left_out ? 'bg-rule' : 'bg-dim/60'"
            :style="`height: ${Math.max(8, (bar(one) ?? 0) * 100)}%`"
          />
        </span>
        <span
          class="num block truncate text-tiny"
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
      class="pointer-events-none fixed bottom-37.5 left-1/2 z-20 -translate-x-1/2 rounded-lg border border-jade bg-raised px-3 py-1.5"
    >
      Move {{ moved.length === 1 ? drag.from.name : `${moved.length} frames` }} to
      {{ drag.over.name }}
    </p>
  </div>
</template>
