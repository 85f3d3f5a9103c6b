// What the two sides of the view show, and which of them is seen.
import { storeToRefs } from 'pinia'
import { computed, onUnmounted, ref, shallowRef, watch } from 'vue'
import { api } from '../api/client'
import type { PictureInfo } from '../api/types'
import { frameOf } from '../domain/sources'
import { useShoot } from '../state/shoot'
import { useView, type Mode } from '../state/view'
import { usePatches } from '../steps/combine/sweep/patches'

/** For so long each side is seen while both are seen by turns, in milliseconds. */
const BLINK = 700

export function useSides() {
  const store = useShoot()
  const view = useView()
  const patches = usePatches()
  const { infoA, infoB } = storeToRefs(view)
  const problem = ref('')
  const blinkB = ref(false)
  /** Side A less side B, as the server makes it. */
  const infoLess = shallowRef<PictureInfo | null>(null)

  /** With one picture only there is nothing to compare. */
  const mode = computed<Mode>(() => (infoA.value && infoB.value ? view.mode : 'one'))
  const seesB = computed(() => {
    if (!infoB.value) return false
    if (!infoA.value) return true
    return mode.value === 'one' ? view.side === 'b' : mode.value !== 'blink' || blinkB.value
  })
  const seesA = computed(
    () =>
      infoA.value !== null && mode.value !== 'difference' && (mode.value !== 'one' || !seesB.value),
  )
  /** What a brush would paint, seen under it. */
  const offered = computed(() =>
    mode.value === 'one' && seesB.value && patches.active ? patches.offered : null,
  )
  /** The result on side B, with what is painted on it. */
  const shownB = computed(() =>
    patches.info && infoB.value?.source === `result-${patches.result?.id}`
      ? patches.info
      : infoB.value,
  )
  /** Size of the reference frame, in whose pixels everything is placed. */
  const size = computed(() => {
    if (infoA.value && frameOf(infoA.value.source)) return infoA.value
    return store.reference?.facts ?? infoA.value ?? infoB.value
  })

  async function look(source: string | null): Promise<PictureInfo | null> {
    if (!source) return null
    try {
      problem.value = ''
      return await api.picture(source)
    } catch (error) {
      problem.value = error instanceof Error ? error.message : String(error)
      return null
    }
  }

  /** What, beside its number, decides how a source is seen. */
  function shownAs(source: string | null) {
    const frame = source?.startsWith('original-') ? null : frameOf(source)
    if (!frame) return ''
    const calibration = source!.startsWith('calibrated-') ? store.calibration : []
    return store.treatment(frame) + calibration.map((f) => `${f.id} ${f.left_out}`).join()
  }

  /** Asks for what a side shows whenever that is another picture; a late answer is passed over. */
  function follow(side: 'a' | 'b', info: typeof infoA) {
    const wanted = () => [store[side], shownAs(store[side])] as const
    watch(
      wanted,
      async (own) => {
        const found = await look(own[0])
        if (JSON.stringify(own) === JSON.stringify(wanted())) info.value = found
      },
      { immediate: true },
    )
  }
  follow('a', infoA)
  follow('b', infoB)
  watch([mode, infoA, shownB], async ([mode, one, other]) => {
    if (mode !== 'difference' || !one || !other) return (infoLess.value = null)
    const found = await look(`${one.source}~${other.source}`)
    if (infoA.value === one && shownB.value === other) infoLess.value = found
  })

  let blink = 0
  watch(mode, (now) => {
    clearInterval(blink)
    blinkB.value = false
    // Whoever wants no motion changes sides by the key.
    const calm = window.matchMedia('(prefers-reduced-motion: reduce)').matches
    if (now === 'blink' && !calm) {
      blink = window.setInterval(() => (blinkB.value = !blinkB.value), BLINK)
    }
  })
  onUnmounted(() => clearInterval(blink))

  /** The other side, where one is seen. */
  function swap() {
    if (mode.value === 'blink') blinkB.value = !blinkB.value
    else view.side = view.side === 'a' ? 'b' : 'a'
  }

  return {
    mode,
    seesA,
    seesB,
    blinkB,
    offered,
    shownB,
    infoA,
    infoB,
    infoLess,
    size,
    problem,
    look,
    swap,
  }
}

export type Sides = ReturnType<typeof useSides>
