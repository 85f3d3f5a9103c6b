// The skyline of the shoot on the workbench: what is known of it, and what is painted on it.
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, sentence } from '../../api/client'
import { carryOut } from '../../api/jobs'
import type { Job, Paint, PictureInfo, SkylineSeen, Stroke } from '../../api/types'
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
  const seen = ref<SkylineSeen | null>(null)
  const info = ref<PictureInfo | null>(null)
  const problem = ref('')
  /** The job that finds it, while it does. */
  const finding = ref<Pick<Job, 'stage' | 'done' | 'total'> | null>(null)
  let job: number | null = null
  /** The place on the strip that the picture was moved to. */
  const at = ref<number | null>(null)
  let asked = 0

  const hand = useStrokes<Stroke>(
    (plan) => plan.skyline.strokes,
    (stroke) => strokeName(stroke.paint),
    ({ paint }) => [paint.startsWith('sky') ? '#7fb4e6' : '#e0b057', isBrush(paint) ? 0.35 : 0.55],
    (plan) => {
      if (plan.skyline.mode === 'none') plan.skyline.mode = 'auto'
    },
  )
  const { pending } = hand
  const active = computed(() => tool.value !== null && info.value !== null)
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

  /** What the mask on show depends on. */
  const shown = ref<string | null>(null)
  /** Whether the mask on show is that of the plan, so that it can be saved. */
  const ready = computed(() => seen.value !== null && shown.value === wanted.value)

  watch(wanted, (now) => now && void find(), { immediate: true })
  watch(
    () => store.step,
    (step) => step !== 'skyline' && (tool.value = null),
  )
  watch(
    () => store.shoot?.id,
    () => {
      seen.value = info.value = null
      problem.value = ''
      pending.value = []
    },
  )

  /** Asks for the mask as it is now; it is found where that has not been done. */
  async function find() {
    const id = store.shoot!.id
    const own = ++asked
    const asks = wanted.value
    const known = pending.value.length
    finding.value ??= { stage: null, done: 0, total: 0 }
    try {
      const done = await carryOut(
        () => api.findSkyline(id),
        (now) => {
          if (own !== asked) return
          finding.value = now
          job = now.id
        },
      )
      if (own !== asked) return
      if (done.state === 'cancelled') throw new Error(STOPPED)
      const told = await api.skyline(id)
      const picture = await api.picture(`skyline-${id}`)
      if (own !== asked) return
      seen.value = told
      shown.value = asks
      info.value = picture
      problem.value = ''
    } catch (error) {
      if (own !== asked) return
      problem.value = sentence(error)
      seen.value = info.value = null
    }
    finding.value = null
    pending.value = pending.value.slice(known)
  }

  function stop() {
    const id = job
    if (id !== null) void store.attempt(() => api.cancel(id))
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
    find,
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
