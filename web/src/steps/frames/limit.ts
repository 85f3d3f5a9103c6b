// A limit for one measure, dragged in the plot or moved by arrow keys.
import { computed, ref, watch, type ComputedRef, type Ref } from 'vue'
import type { Frame } from '../../api/types'
import { beyond, measure, type MeasureName } from '../../domain/measures'

interface Plot {
  frames: ComputedRef<Frame[]>
  shows: () => MeasureName
  range: ComputedRef<{ low: number; high: number }>
  box: Ref<HTMLElement | undefined>
}

export function useLimit({ frames, shows, range, box }: Plot) {
  const what = computed(() => measure(shows()))
  /** The limit; beyond the worst frame until it is moved. */
  const limit = ref(0)
  const idle = computed(() => (what.value.worse === 'low' ? range.value.low : range.value.high))
  watch([shows, range], () => (limit.value = idle.value), { immediate: true })
  const worse = computed(() => beyond(frames.value, shows(), limit.value))
  const out = computed(() => new Set(worse.value.map((f) => f.id)))

  function set(value: number) {
    limit.value = Math.min(range.value.high, Math.max(range.value.low, value))
  }

  const dragging = ref(false)
  function hold(event: PointerEvent) {
    const handle = event.currentTarget as HTMLElement
    handle.setPointerCapture(event.pointerId)
    dragging.value = true
  }
  function drag(event: PointerEvent) {
    if (!dragging.value || !box.value) return
    const { top, height } = box.value.getBoundingClientRect()
    const { low, high } = range.value
    set(high - ((event.clientY - top) / height) * (high - low))
  }
  function nudge(event: KeyboardEvent) {
    const step = event.key === 'ArrowUp' ? 1 : event.key === 'ArrowDown' ? -1 : 0
    if (!step) return
    event.preventDefault()
    event.stopPropagation()
    set(limit.value + (step * (range.value.high - range.value.low)) / 50)
  }

  return { limit, worse, out, dragging, hold, drag, nudge }
}
