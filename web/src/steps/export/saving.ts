// Saving a result, followed and stopped.
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api } from '../../api/client'
import { isUnderWay } from '../../api/jobs'
import type { Colours, NewExport } from '../../api/types'
import { useShoot } from '../../state/shoot'

export const useSaving = defineStore('saving', () => {
  const store = useShoot()
  /** The colours that pictures are saved in, and whether they say where they were taken. */
  const colours = ref<Colours>('input')
  const place = ref(true)
  /** What is being saved of this shoot, from whichever page. */
  const now = computed(
    () => store.shoot?.jobs.find((job) => job.task === 'save' && isUnderWay(job)) ?? null,
  )
  /** Why the last file was not saved. */
  const problem = computed(() => {
    const last = store.shoot?.jobs.find((job) => job.task === 'save')
    if (last?.state === 'interrupted')
      return 'The program ended while this was saved; save it again.'
    return last?.state === 'failed' ? (last.problem ?? '') : ''
  })
  /** How far it is, in per cent of its stage. */
  const share = computed(() =>
    now.value?.total ? Math.floor((100 * now.value.done) / now.value.total) : 0,
  )

  async function save(result: number, wish: NewExport) {
    const job = await store.attempt(() => api.save(result, wish))
    if (job) store.takeJob(job)
  }

  function stop() {
    const job = now.value?.id
    if (job) void store.attempt(() => api.cancel(job))
  }

  return { now, problem, share, colours, place, save, stop }
})
