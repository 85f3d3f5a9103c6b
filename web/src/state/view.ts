import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { frameOf } from '../domain/sources'
import type { Place } from '../viewer/pane'
import { usePicture } from './pictures'
import { useShoot } from './shoot'

export type Mode = 'one' | 'split' | 'beside' | 'blink' | 'difference'

/** The ways to compare two pictures, each with its key. */
export const modes: { value: Mode; text: string; key: string }[] = [
  { value: 'one', text: 'Single', key: 'o' },
  { value: 'split', text: 'Split', key: 's' },
  { value: 'beside', text: 'Side by side', key: 'd' },
  { value: 'blink', text: 'Blink', key: 'b' },
  { value: 'difference', text: 'Difference', key: 'v' },
]

/** How pictures are looked at; stays while shoots change. */
export const useView = defineStore('view', () => {
  const store = useShoot()
  const mode = ref<Mode>('split')
  /** Which side is seen where only one is. */
  const side = ref<'a' | 'b'>('b')
  /** Place of the split, as a share of the width. */
  const cut = ref(0.5)
  /** Exposure steps that pictures are shown brighter, where the scene is lit and where it is dark. */
  const steps = ref({ lit: 0, dark: 1 })
  const stops = computed({
    get: () => steps.value[store.rules.is_lit ? 'lit' : 'dark'],
    set: (own) => (steps.value[store.rules.is_lit ? 'lit' : 'dark'] = own),
  })
  /** Colours are exaggerated, to check them. */
  const colours = ref(false)
  /** The next click on the picture pins a probe. */
  const pinning = ref(false)
  /** The next click on the picture picks what shall be grey. */
  const picking = ref(false)
  /** The map that lies over side B, if one does. */
  const overlay = ref<'none' | 'rejected' | 'coverage' | 'depth' | 'certainty'>('none')
  /** The merged frame, by its place in order, whose part alone is seen for the moment. */
  const only = ref<number | null>(null)
  /** What is in the middle and how large; nothing while all of the picture is shown. */
  const place = shallowRef<Place | null>(null)
  /** A place that the address asks for. */
  const wanted = shallowRef<Place | null>(null)
  /** The pictures of the two sides, once they are known. */
  const { info: infoA, problem: problemA } = usePicture(
    () => store.a,
    () => shownAs(store.a),
  )
  const { info: infoB, problem: problemB } = usePicture(
    () => store.b,
    () => shownAs(store.b),
  )
  const problem = computed(() => problemA.value || problemB.value)

  /** What, beside its number, decides how a source is seen. */
  function shownAs(source: string | null) {
    const frame = source?.startsWith('original-') ? null : frameOf(source)
    if (!frame) return ''
    const calibration = source!.startsWith('calibrated-') ? store.calibration : []
    return store.treatment(frame) + calibration.map((f) => `${f.id} ${f.left_out}`).join()
  }

  /** The version of a side's picture, once it is known. */
  function versionOf(source: string) {
    return [infoA.value, infoB.value].find((info) => info?.source === source)?.version ?? null
  }
  /** The same for the server. */
  const how = computed(() => `stops=${stops.value}${colours.value ? '&colours=true' : ''}`)
  return {
    mode,
    side,
    cut,
    stops,
    colours,
    how,
    place,
    wanted,
    infoA,
    infoB,
    problem,
    versionOf,
    pinning,
    picking,
    overlay,
    only,
  }
})
