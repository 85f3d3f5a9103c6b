// What is painted over a merged sweep: frames, or the other way of merging.
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, sentence } from '../../../api/client'
import type { Patch, PatchFrom, PictureInfo, SharpFrame, MergeMethod } from '../../../api/types'
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
  /** Frames that show the place under the pointer, the sharpest first. */
  const frames = ref<SharpFrame[]>([])
  /** The frame that was chosen by hand; otherwise it is the sharpest under the pointer. */
  const kept = ref<string | null>(null)
  /** The merged picture with what the plan has painted on it. */
  const info = ref<PictureInfo | null>(null)
  /** What the brush would paint where it is, as a picture. */
  const offered = ref<PictureInfo | null>(null)
  /** Where the pointer is, in pixels of the reference frame. */
  const at = ref<{ x: number; y: number } | null>(null)
  const problem = ref('')
  let resting = 0
  let asked = 0

  const hand = useStrokes<Patch>(
    (plan) => plan.focus.patches,
    (patch) => patchName(patch.from),
    ({ from }) => [from.by === 'frame' ? '#5cc8a1' : '#e0b057', 0.35],
  )
  const { pending, painting } = hand

  /** The merged result on show. */
  const result = computed(() => (stageOf(store.shown?.report, 'merge') ? store.shown : undefined))
  const patches = computed(() => store.shoot?.plan.focus.patches ?? [])
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
  /** Whether the way that is painted with was merged, so that it is seen at once. */
  const unseen = computed(
    () =>
      patches.value.some(({ from }) => from.by === 'way' && !merged(from.way)) &&
      info.value !== null,
  )

  watch(wanted, (now) => now && void show(now), { immediate: true })
  watch(offer, async (source) => {
    const found = source ? await api.picture(source).catch(() => null) : null
    if (offer.value === source) offered.value = found
  })
  watch([() => store.step, () => store.shoot?.id], () => {
    tool.value = null
    frames.value = []
    kept.value = null
    if (store.step !== 'combine') info.value = null
  })

  function merged(way: MergeMethod) {
    return store.results.some((one) => stageOf(one.report, 'merge') && one.plan.focus.way === way)
  }

  /** Asks for the picture as it is painted now. */
  async function show(now: string) {
    const own = ++asked
    const known = pending.value.length
    try {
      const found = now === 'none' ? null : await api.picture(`painted-${result.value!.id}`)
      if (own !== asked) return
      info.value = found
      problem.value = ''
    } catch (error) {
      if (own !== asked) return
      problem.value = sentence(error)
      info.value = null
    }
    pending.value = pending.value.slice(known)
  }

  /** Where the pointer rests, the frames that show it are asked for. */
  function hover(now: { x: number; y: number } | null) {
    at.value = now
    window.clearTimeout(resting)
    if (!now || tool.value !== 'frame' || painting.value) return
    resting = window.setTimeout(() => void rest(now), RESTS)
  }

  async function rest({ x, y }: { x: number; y: number }) {
    const id = result.value?.id
    const found = id && (await store.attempt(() => api.sharpest(id, x, y)))
    if (found && !painting.value) frames.value = found
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
