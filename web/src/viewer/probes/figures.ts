// Figures of a probe's patch in what the two sides show.
import { useQueries } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api } from '../../api/client'
import { queries } from '../../api/queries'
import type { Probe } from '../../api/types'
import { useShoot } from '../../state/shoot'
import { useView } from '../../state/view'

export function useFigures(probe: () => Probe) {
  const store = useShoot()
  const view = useView()
  const sides = computed(() => [store.a, store.b].filter((s) => s !== null))
  const measured = useQueries(
    {
      queries: computed(() =>
        sides.value.map((source) => {
          const { x, y, size } = probe()
          const version = view.versionOf(source)
          return {
            // What names the pixels that a side shows here, once its version is known.
            queryKey: ['measure', source, version, x, y, size],
            queryFn: () => api.measure(source, x, y, size),
            enabled: version !== null,
          }
        }),
      ),
      shallow: true,
    },
    queries,
  )

  /** The figures of a side: `null` where the patch lies outside it, `undefined` while they are not known. */
  function told(source: string) {
    const side = measured.value[sides.value.indexOf(source)]
    return side?.isError ? null : side?.data?.figures
  }
  const of = (source: string | null) => (source ? (told(source) ?? null) : null)
  return { sides, told, of }
}
