<script setup lang="ts">
import { computed, ref } from 'vue'
import { thumbnail } from '../api/client'
import type { Frame, Role } from '../api/types'
import { exposure } from '../parts/units'
import { useShoot } from '../shoot/store'

const store = useShoot()
const strip = ref<HTMLElement>()

const sets = computed(() => {
  const roles: Role[] = ['dark', 'flat', 'bias']
  const others = roles.map((role) => ({
    name: role === 'bias' ? 'biases' : `${role}s`,
    frames: store.calibration.filter((f) => f.role === role),
  }))
  return [{ name: '', frames: store.lights }, ...others.filter((set) => set.frames.length)]
})

const frame = computed(() => store.shoot?.frames.find((f) => f.id === store.selected))

/** What the file tells, in one line. */
const told = computed(() => {
  const f = frame.value?.facts
  if (!f) return ''
  const parts = [
    `${f.width} × ${f.height}`,
    `${f.bits} bit`,
    f.exposure_s && exposure(f.exposure_s),
    f.iso && `ISO ${f.iso}`,
    f.aperture && `f/${Number(f.aperture.toFixed(1))}`,
    f.focal_mm && `${Number(f.focal_mm.toFixed(1))} mm`,
    f.taken?.slice(11),
  ]
  return parts.filter(Boolean).join(' · ')
})

/** What the bars show: stars where there are some in most frames, else details. */
const shows = computed<'stars' | 'sharpness'>(() => {
  const known = store.lights.flatMap((f) => (f.measures ? [f.measures.stars] : []))
  const many = known.filter((stars) => stars >= 25).length
  return many * 2 > known.length ? 'stars' : 'sharpness'
})
const highest = computed(() =>
  Math.max(...store.lights.map((f) => f.measures?.[shows.value] ?? 0), 1e-9),
)

/** Height of a frame's bar as a share of the highest. */
function bar(one: Frame): number | null {
  return one.measures && one.role === 'light' ? one.measures[shows.value] / highest.value : null
}

function doubt(one: Frame): string | null {
  return store.shoot?.doubts.find((d) => d.frame_id === one.id)?.reason ?? null
}

/** Why the result on show did without a frame. */
function verdict(one: Frame): string | null {
  return store.shown?.report.frames.find((f) => f.file === one.name && !f.used)?.reason ?? null
}

function title(one: Frame): string {
  if (one.left_out) return `${one.name}, left out`
  const reason = verdict(one) ?? doubt(one)
  return reason ? `${one.name}: ${reason}` : one.name
}

// Dragging across columns leaves frames out, or takes them in when it begins on one that is out.
const sweep = ref<{ out: boolean; from: number; to: number } | null>(null)
const swept = computed(() => {
  if (!sweep.value) return new Set<number>()
  const { from, to } = sweep.value
  const [low, high] = [Math.min(from, to), Math.max(from, to)]
  return new Set(store.lights.slice(low, high + 1).map((f) => f.id))
})

function place(event: PointerEvent): number | null {
  const at = document.elementFromPoint(event.clientX, event.clientY)?.closest('[data-light]')
  return at ? Number(at.getAttribute('data-light')) : null
}

function down(event: PointerEvent, index: number) {
  if (event.button !== 0) return
  sweep.value = { out: !store.lights[index]!.left_out, from: index, to: index }
}

function move(event: PointerEvent) {
  const at = sweep.value && place(event)
  if (sweep.value && at !== null) sweep.value.to = at
}

function up() {
  const done = sweep.value
  const ids = [...swept.value]
  sweep.value = null
  if (done && done.from !== done.to) void store.leaveOut(ids, done.out)
}

function choose(one: Frame) {
  store.selected = one.id
  store.a = `frame-${one.id}`
}

function key(event: KeyboardEvent) {
  const all = [...store.lights, ...store.calibration]
  const at = all.findIndex((f) => f.id === store.selected)
  const step = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0
  const one = all[at]
  if (step) {
    const next = all[Math.min(all.length - 1, Math.max(0, at + step))]
    if (next) {
      choose(next)
      strip.value?.querySelector<HTMLElement>(`[data-frame="${next.id}"]`)?.focus()
    }
    event.preventDefault()
  } else if (event.key === 'l' && one?.role === 'light') {
    void store.leaveOut([one.id], !one.left_out)
  } else if (event.key === 'm' && one?.role === 'light' && !one.left_out) {
    void store.setReference(one.id)
  }
}
</script>

<template>
  <section class="border-t border-rule px-3.5 py-2" aria-label="Frame columns" @keydown="key">
    <div class="flex h-5 items-center gap-3 overflow-hidden text-[12px] whitespace-nowrap text-dim">
      <template v-if="frame">
        <b class="font-semibold text-ink">{{ frame.name }}</b>
        <span class="num" data-test="told">{{ told }}</span>
      </template>
      <b v-else class="font-semibold text-ink">Frames</b>
      <span v-if="store.lights.length" class="ml-auto"
        >bars: {{ shows === 'stars' ? 'stars found' : 'contrast of details' }} · drag across columns
        to leave frames out</span
      >
    </div>
    <div
      ref="strip"
      class="mt-1.5 flex min-h-[92px] items-start gap-1 overflow-x-auto pb-1"
      data-test="columns"
      @pointermove="move"
      @pointerup="up"
      @pointerleave="sweep = null"
    >
      <template v-for="set in sets" :key="set.name">
        <span
          v-if="set.name"
          class="mx-1 self-stretch border-l border-rule pl-1.5 text-[10.5px] text-faint [writing-mode:vertical-rl]"
        >
          {{ set.name }}
        </span>
        <button
          v-for="(one, index) in set.frames"
          :key="one.id"
          class="group min-w-[34px] flex-1 select-none rounded-[4px] text-center"
          style="max-width: 108px"
          :title="title(one)"
          :aria-label="title(one)"
          :aria-pressed="one.id === store.selected"
          :data-frame="one.id"
          :data-light="one.role === 'light' ? index : undefined"
          @pointerdown="one.role === 'light' && down($event, index)"
          @click="choose(one)"
        >
          <span
            class="relative block h-[46px] overflow-hidden rounded-[4px] border-2"
            :class="[
              one.id === store.reference?.id
                ? 'border-jade'
                : one.id === store.selected
                  ? 'border-ink'
                  : verdict(one) || doubt(one)
                    ? 'border-amber'
                    : 'border-transparent',
            ]"
          >
            <img
              :src="thumbnail(`frame-${one.id}`, store.settled)"
              alt=""
              draggable="false"
              loading="lazy"
              class="h-full w-full object-cover"
              :class="(one.left_out || swept.has(one.id)) && 'opacity-25'"
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
            {{ one.name.replace(/\.[^.]+$/, '') }}
          </span>
        </button>
      </template>
      <p v-if="!store.lights.length && !store.calibration.length" class="self-center text-dim">
        No frames yet. Add files or a folder on the left, or drop them here.
      </p>
    </div>
  </section>
</template>
