// Figures of a probe's patch in what the two sides show.
import { computed, ref, watch } from 'vue'
import { api } from '../../api/client'
import type { PatchFigures, Probe } from '../../api/types'
import { useShoot } from '../../state/shoot'
import { useView } from '../../state/view'

export function useFigures(probe: () => Probe) {
  const store = useShoot()
  const view = useView()
  /** Figures of the patch, by what names the pixels that they were measured in. */
  const figures = ref<Record<string, PatchFigures | null>>({})
  const sides = computed(() => [store.a, store.b].filter((s) => s !== null))

  /** What names the pixels that a side shows here, once its version is known. */
  function key(source: string) {
    const version = view.versionOf(source)
    const { x, y, size } = probe()
    return version && [source, version, x, y, size].join(' ')
  }

  watch(
    () => sides.value.map(key),
    async (keys) => {
      const { x, y, size } = probe()
      const sources = sides.value
      for (const [i, own] of keys.entries()) {
        if (!own || own in figures.value) continue
        const source = sources[i]!
        const measured = await api.measure(source, x, y, size).catch(() => ({ figures: null }))
        // It may show other pixels by now.
        if (key(source) === own) figures.value = { ...figures.value, [own]: measured.figures }
      }
    },
    { immediate: true },
  )

  /** The figures of a side; `undefined` while they are not known. */
  function told(source: string) {
    const own = key(source)
    return own ? figures.value[own] : undefined
  }
  const of = (source: string | null) => (source ? (told(source) ?? null) : null)
  return { sides, told, of }
}
