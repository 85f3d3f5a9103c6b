// The report on the frames of a sweep, found before they are merged.
import { defineStore } from 'pinia'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, sentence } from '../../../api/client'
import { carryOut } from '../../../api/jobs'
import { queries } from '../../../api/queries'
import { useShoot } from '../../../state/shoot'

/** For so long what was found is kept, in milliseconds. */
const KEPT = 600_000
const STOPPED = 'Stopped before the frames were looked over. Press Run to merge them all the same.'

export const useSweep = defineStore('sweep', () => {
  const store = useShoot()
  /** All that it depends on; nothing while a run works on the same frames. */
  const wanted = computed(() => {
    const { shoot, sent } = store
    if (!shoot || !sent || !store.rules.has_planes || store.step !== 'combine' || store.running)
      return null
    if (store.used.length < 3) return null
    const frames = store.used.map((f) => [f.id, store.treatment(f.id)])
    return JSON.stringify([shoot.id, sent.align.mode, frames])
  })

  const query = useQuery(
    {
      queryKey: computed(() => ['sweep', wanted.value] as const),
      queryFn: find,
      enabled: computed(() => wanted.value !== null),
      // What was found stays while other steps are open.
      gcTime: KEPT,
      placeholderData: keepPreviousData,
      shallow: true,
    },
    queries,
  )
  const report = computed(() =>
    query.data.value?.id === store.shoot?.id ? (query.data.value?.report ?? null) : null,
  )
  const problem = computed(() => (query.error.value ? sentence(query.error.value) : ''))
  /** The job that looks them over, while it does. */
  const finding = computed(() => (query.isFetching.value ? store.jobOf('sweep') : null))

  async function find() {
    const { id } = store.shoot!
    const done = await carryOut(() => api.findSweep(id))
    if (done.state === 'cancelled') throw new Error(STOPPED)
    return { id, report: await api.sweep(id) }
  }

  function stop() {
    const id = finding.value?.id
    if (id) void store.attempt(() => api.cancel(id))
  }

  return { report, problem, finding, stop }
})
