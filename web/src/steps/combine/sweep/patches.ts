// What is painted over a merged sweep: frames, or the other way of merging.
import { defineStore } from 'pinia'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, sentence } from '../../../api/client'
import { queries } from '../../../api/queries'
import type { Patch, PatchFrom, MergeMethod } from '../../../api/types'
import { usePicture } from '../../../state/pictures'
import { useStrokes } from '../../../viewer/paint/hand'
import type { Point } from '../../../viewer/paint/strokes'
import { wayNames } from '../../../domain/units'
import { useShoot } from '../../../state/shoot'
import { stageOf } from '../../../domain/stages'

/** For so long the pointer rests before the frames under it are asked for, in milliseconds. */
const RESTS = 120

export const usePatches = defineStore('patches', () => {
  const store = useShoot()
  /** What the hand paints with; nothing while the picture is moved. */
  const tool = ref<'frame' | MergeMethod | null>(null)
  /** Radius in pixels of the screen, so that one is as large at every zoom. */
  const radius = ref(28)
  const soft = ref(0.5)
  /** The frame that was chosen by hand; otherwise it is the sharpest under the pointer. */
  const kept = ref<string | null>(null)
  /** Where the pointer is, in pixels of the reference frame. */
  const at = ref<{ x: number; y: number } | null>(null)
  /** Where the pointer rested last. */
  const rested = shallowRef<{ x: number; y: number } | null>(null)
  let resting = 0
  /** Patches that were painted when the picture was asked for. */
  let known = 0

  const hand = useStrokes<Patch>(
    (plan) => plan.focus.patches,
    (patch) => patchName(patch.from),
    ({ from }) => [from.by === 'frame' ? '#5cc8a1' : '#e0b057', 0.35],
  )
  const { pending, painting } = hand

  /** The merged result on show. */
  const result = computed(() => (stageOf(store.shown?.report, 'merge') ? store.shown : undefined))
  const patches = computed(() => store.shoot?.plan.focus.patches ?? [])
  const sharpest = useQuery(
    {
      queryKey: computed(() => ['sharpest', result.value?.id, rested.value] as const),
      queryFn: ({ queryKey: [, id, at] }) => api.sharpest(id!, at!.x, at!.y),
      enabled: computed(() => result.value !== undefined && rested.value !== null),
      placeholderData: keepPreviousData,
      shallow: true,
    },
    queries,
  )
  /** Frames that show the place under the pointer, the sharpest first. */
  const frames = computed(() => (rested.value ? (sharpest.data.value ?? []) : []))
  const frame = computed(
    () => frames.value.find((one) => one.blake3 === kept.value) ?? frames.value[0],
  )
  const from = computed<PatchFrom | null>(() => {
    if (!tool.value) return null
    if (tool.value !== 'frame') return { by: 'way', way: tool.value }
    return frame.value ? { by: 'frame', blake3: frame.value.blake3 } : null
  })
  const active = computed(
    () => tool.value !== null && result.value !== undefined && store.step === 'combine',
  )
  const offer = computed(() => {
    if (!active.value || !from.value) return null
    if (from.value.by === 'frame') return `offered-${result.value!.id}-${frame.value!.frame_id}`
    const { way } = from.value
    return merged(way) ? `offered-${result.value!.id}-${way}` : null
  })
  /** The picture to be shown in place of the result, where other things are painted now than in it. */
  const wanted = computed(() => {
    const shown = result.value
    if (!shown || store.step !== 'combine') return null
    const now = JSON.stringify(patches.value)
    // Only what the server has can be asked for.
    if (JSON.stringify(store.sent?.focus.patches) !== now) return null
    if (JSON.stringify(shown.plan.focus.patches) === now) return 'none'
    return `${shown.id} ${store.results[0]?.id} ${now}`
  })
  const painted = useQuery(
    {
      queryKey: computed(() => ['painted', wanted.value] as const),
      queryFn: async ({ queryKey: [, now] }) => {
        known = pending.value.length
        return now === 'none' ? null : await api.picture(`painted-${result.value!.id}`)
      },
      enabled: computed(() => wanted.value !== null),
      placeholderData: keepPreviousData,
      shallow: true,
    },
    queries,
  )
  /** The merged picture with what the plan has painted on it. */
  const info = computed(() =>
    store.step === 'combine' && result.value ? (painted.data.value ?? null) : null,
  )
  const problem = computed(() => (painted.error.value ? sentence(painted.error.value) : ''))
  /** What the brush would paint where it is, as a picture. */
  const { info: offered } = usePicture(() => offer.value)
  /** Whether the way that is painted with was merged, so that it is seen at once. */
  const unseen = computed(
    () =>
      patches.value.some(({ from }) => from.by === 'way' && !merged(from.way)) &&
      info.value !== null,
  )

  // What is painted is seen in the picture once that was made with it.
  watch([painted.data, painted.error], () => {
    pending.value = pending.value.slice(known)
    known = 0
  })
  watch([() => store.step, () => store.shoot?.id], () => {
    tool.value = null
    rested.value = kept.value = null
  })

  function merged(way: MergeMethod) {
    return store.results.some((one) => stageOf(one.report, 'merge') && one.plan.focus.way === way)
  }

  /** Where the pointer rests, the frames that show it are asked for. */
  function hover(now: { x: number; y: number } | null) {
    at.value = now
    window.clearTimeout(resting)
    if (!now || tool.value !== 'frame' || painting.value) return
    resting = window.setTimeout(() => (rested.value = now), RESTS)
  }

  /** The next frame under the pointer, or the one before. */
  function next(by: number) {
    const all = frames.value
    if (!all.length) return
    const at = all.findIndex((one) => one === frame.value)
    kept.value = all[(at + by + all.length) % all.length]!.blake3
  }

  function begin(point: Point) {
    if (from.value) hand.begin({ from: from.value, points: [point], soft: soft.value })
  }

  /** Takes the last patch back, also after the page was loaded anew. */
  function takeBack() {
    return store.setPlan((plan) => plan.focus.patches.pop(), 'taking back a patch')
  }

  function clear() {
    return store.setPlan((plan) => (plan.focus.patches = []), 'clearing the patches')
  }

  return {
    tool,
    radius,
    soft,
    frames,
    frame,
    kept,
    info,
    offered,
    at,
    problem,
    result,
    patches,
    unseen,
    ...hand,
    active,
    hover,
    next,
    begin,
    takeBack,
    clear,
  }
})

export function patchName(from: PatchFrom) {
  return from.by === 'frame' ? 'a patch' : `a patch of ${wayNames[from.way]}`
}
