// The skyline of the shoot on the workbench: what is known of it, and what is painted on it.
import { defineStore } from 'pinia'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, sentence } from '../../api/client'
import { carryOut } from '../../api/jobs'
import { queries } from '../../api/queries'
import type { Paint, Stroke } from '../../api/types'
import { useStrokes } from '../../viewer/paint/hand'
import type { Point } from '../../viewer/paint/strokes'
import { useShoot } from '../../state/shoot'

export type Laid = 'hatching' | 'mask' | 'sky' | 'ground' | 'doubt' | 'none'

const STOPPED = 'Stopped before the skyline was found. Any change of a setting begins anew.'

export const useSkyline = defineStore('skyline', () => {
  const store = useShoot()
  /** What the hand paints; nothing while the picture is moved. */
  const tool = ref<Paint | null>(null)
  /** Radius in pixels of the screen, so that one is as large at every zoom. */
  const radius = ref(14)
  const soft = ref(0.5)
  const laid = ref<Laid>('hatching')
  /** The place on the strip that the picture was moved to. */
  const at = ref<number | null>(null)

  /** Strokes that were painted when the skyline was asked for. */
  let known = 0

  const hand = useStrokes<Stroke>(
    (plan) => plan.skyline.strokes,
    (stroke) => strokeName(stroke.paint),
    ({ paint }) => [paint.startsWith('sky') ? '#7fb4e6' : '#e0b057', isBrush(paint) ? 0.35 : 0.55],
    (plan) => {
      if (plan.skyline.mode === 'none') plan.skyline.mode = 'auto'
    },
  )
  const { pending } = hand
  const plan = computed(() => store.shoot?.plan.skyline ?? null)
  const strokes = computed(() => plan.value?.strokes ?? [])
  /** All that the mask depends on. */
  const wanted = computed(() => {
    const shoot = store.shoot
    if (!shoot || store.step !== 'skyline' || store.used.length === 0) return null
    const mask = { ...shoot.plan.skyline, ground: null }
    const sent = store.sent
    // Only what the server has can be asked for.
    if (JSON.stringify(sent?.skyline) !== JSON.stringify(shoot.plan.skyline)) return null
    const frames = store.used.map((f) => f.id)
    return JSON.stringify([shoot.id, shoot.plan.align, mask, frames, store.reference?.id])
  })

  const query = useQuery(
    {
      queryKey: computed(() => ['skyline', wanted.value] as const),
      queryFn: find,
      enabled: computed(() => wanted.value !== null),
      placeholderData: keepPreviousData,
      shallow: true,
    },
    queries,
  )
  /** The skyline that was found last for this shoot. */
  const found = computed(() =>
    query.data.value?.id === store.shoot?.id ? query.data.value : undefined,
  )
  const seen = computed(() => found.value?.seen ?? null)
  const info = computed(() => found.value?.info ?? null)
  const problem = computed(() => (query.error.value ? sentence(query.error.value) : ''))
  const active = computed(() => tool.value !== null && info.value !== null)
  /** Whether the mask on show is that of the plan, so that it can be saved. */
  const ready = computed(
    () => seen.value !== null && wanted.value !== null && !query.isPlaceholderData.value,
  )
  /** The job that finds it, while it does. */
  const finding = computed(() => (query.isFetching.value ? store.jobOf('skyline') : null))

  // What is painted is seen in the mask once that was found with it.
  watch([query.data, query.error], () => {
    if (found.value || query.error.value) pending.value = pending.value.slice(known)
    known = 0
  })
  watch(
    () => store.step,
    (step) => step !== 'skyline' && (tool.value = null),
  )
  watch(
    () => store.shoot?.id,
    () => (pending.value = []),
  )

  /** Asks for the mask as it is now; it is found where that has not been done. */
  async function find() {
    const { id } = store.shoot!
    known = pending.value.length
    const done = await carryOut(() => api.findSkyline(id))
    if (done.state === 'cancelled') throw new Error(STOPPED)
    return { id, seen: await api.skyline(id), info: await api.picture(`skyline-${id}`) }
  }

  function stop() {
    const id = finding.value?.id
    if (id) void store.attempt(() => api.cancel(id))
  }

  function begin(point: Point) {
    if (!tool.value) return
    hand.begin({ paint: tool.value, points: [point], soft: isBrush(tool.value) ? soft.value : 0 })
  }

  /** Takes the last stroke back, also after the page was loaded anew. */
  function takeBack() {
    return store.setPlan((plan) => plan.skyline.strokes.pop(), 'taking back a stroke')
  }

  function clear() {
    return store.setPlan((plan) => (plan.skyline.strokes = []), 'clearing the strokes')
  }

  return {
    tool,
    radius,
    soft,
    laid,
    seen,
    ready,
    info,
    problem,
    finding,
    ...hand,
    active,
    at,
    plan,
    strokes,
    stop,
    begin,
    takeBack,
    clear,
  }
})

export function isBrush(paint: Paint) {
  return paint === 'sky-brush' || paint === 'ground-brush'
}

export function strokeName(paint: Paint) {
  return (
    { 'sky-stroke': 'a sky stroke', 'ground-stroke': 'a ground stroke' }[paint as string] ??
    'a brush stroke'
  )
}
