// The two panes: what each shows, the map over it, and where the picture lies in it.
import { computed, nextTick, onMounted, onUnmounted, ref, shallowRef, watch, type Ref } from 'vue'
import { connected } from '../api/events'
import { resultOf } from '../domain/sources'
import { usePicture } from '../state/pictures'
import { useShoot } from '../state/shoot'
import { useView } from '../state/view'
import { usePairs } from '../steps/align/pairs'
import { useSkyline } from '../steps/skyline/skyline'
import { Pane, type View } from './pane'
import type { Sides } from './sides'

/** For so long a picture stands still before its place is noted, in milliseconds. */
const RESTS = 300

type Element = Ref<HTMLElement | undefined>

/** `clicked` says whether it made use of a click at a place of the reference frame. */
export function usePanes(
  elements: { a: Element; b: Element },
  sides: Sides,
  clicked: (side: 'a' | 'b', x: number, y: number) => boolean,
) {
  const store = useShoot()
  const view = useView()
  const pairs = usePairs()
  const skyline = useSkyline()
  const panes = shallowRef<{ a: Pane; b: Pane } | null>(null)
  const place = ref<View>({ left: 0, top: 0, scale: 1 })
  const places = ref<{ a: View; b: View }>({ a: place.value, b: place.value })
  const leading = computed(() => (sides.seesA.value ? panes.value?.a : panes.value?.b))

  /** How often the server was there again after it could not be heard. */
  const returns = ref(0)
  watch(connected, (heard) => {
    if (!heard) return
    panes.value?.a.renew()
    panes.value?.b.renew()
    returns.value++
  })

  /** What was seen under the brush last, as long as the pane has it. */
  let under: string | null = null
  const { infoA, infoB, infoLess, offered, shownB, size } = sides
  watch([panes, infoA, offered, shownB, infoLess, size, () => view.how, returns], () => {
    const both = panes.value
    if (!both || !size.value) return
    const reference = { width: size.value.width, height: size.value.height }
    // Nothing else is seen under the brush while its picture is on its way.
    const source = offered.value?.source ?? null
    if (source !== under) both.a.clear()
    under = source
    const shownA = offered.value ?? infoA.value
    if (shownA) both.a.show(shownA, reference, view.how)
    else both.a.clear()
    const seen = infoLess.value ?? shownB.value
    if (seen) both.b.show(seen, reference, view.how)
    else both.b.clear()
  })

  /** The map of the result on side B, where it has one. */
  const { info: map } = usePicture(() => {
    const overlay = view.only === null ? view.overlay : 'depth'
    const result = resultOf(infoB.value?.source)
    return overlay === 'none' || !result || store.step === 'skyline' ? null : `${overlay}-${result}`
  })
  /** What lies over the picture: the map, and in its own step the skyline. */
  watch(
    [
      panes,
      infoA,
      infoB,
      map,
      () => view.only,
      () => store.step,
      () => skyline.info,
      () => skyline.laid,
      sides.seesA,
      returns,
    ],
    ([both, , , map, only, step, skies, laid, inA]) => {
      if (!both) return
      if (step === 'skyline') {
        const shown = laid === 'none' ? null : skies
        // A result beside the frame is seen as it is.
        both.a.lay(inA ? shown : null, `laid=${laid}`)
        return both.b.lay(inA ? null : shown, `laid=${laid}`)
      }
      both.a.lay(null)
      both.b.lay(map, only === null ? undefined : `only=${only}`)
    },
  )
  watch(
    () => pairs.frame,
    async (frame) => {
      panes.value?.a.link(!frame)
      await nextTick()
      if (frame) fit()
    },
  )

  // A picture that is moved is noted once it stands still.
  let moved = 0
  watch(place, () => {
    clearTimeout(moved)
    moved = window.setTimeout(() => (view.place = leading.value?.place() ?? null), RESTS)
  })
  watch(
    [panes, () => view.wanted],
    ([both, wanted]) => {
      if (both && wanted) leading.value?.goTo(wanted)
    },
    { flush: 'post' },
  )

  /** Shows all of the picture; while pairs are set the two sides are moved one by one. */
  function fit() {
    leading.value?.fit()
    if (pairs.frame) panes.value?.b.fit()
  }

  onMounted(() => {
    const report = (pane: 'a' | 'b') => (now: View) => {
      if ((pane === 'a') === sides.seesA.value) place.value = now
      places.value[pane] = now
    }
    const a = new Pane(elements.a.value!, report('a'), (x, y) => clicked('a', x, y))
    const b = new Pane(elements.b.value!, report('b'), (x, y) => clicked('b', x, y))
    a.pair(b)
    panes.value = { a, b }
  })
  onUnmounted(() => {
    clearTimeout(moved)
    view.place = view.wanted = null
    panes.value?.a.destroy()
    panes.value?.b.destroy()
  })

  return { place, places, leading, fit }
}
