// What the two sides of the view show, and which of them is seen.
import { storeToRefs } from 'pinia'
import { computed, onUnmounted, ref, watch } from 'vue'
import { frameOf } from '../domain/sources'
import { usePicture } from '../state/pictures'
import { useShoot } from '../state/shoot'
import { useView, type Mode } from '../state/view'
import { usePatches } from '../steps/combine/sweep/patches'

/** For so long each side is seen while both are seen by turns, in milliseconds. */
const BLINK = 700

export function useSides() {
  const store = useShoot()
  const view = useView()
  const patches = usePatches()
  const { infoA, infoB, problem } = storeToRefs(view)
  const blinkB = ref(false)

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
  /** Side A less side B, as the server makes it. */
  const { info: infoLess } = usePicture(
    () => {
      const [one, other] = [infoA.value, shownB.value]
      return mode.value === 'difference' && one && other ? `${one.source}~${other.source}` : null
    },
    () => [infoA.value?.version, shownB.value?.version],
  )
  /** Size of the reference frame, in whose pixels everything is placed. */
  const size = computed(() => {
    if (infoA.value && frameOf(infoA.value.source)) return infoA.value
    return store.reference?.facts ?? infoA.value ?? infoB.value
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
    swap,
  }
}

export type Sides = ReturnType<typeof useSides>
