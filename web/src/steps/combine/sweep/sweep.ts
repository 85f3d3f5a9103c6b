// What is told of the frames of a sweep before they are merged.
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, sentence } from '../../../api/client'
import { carryOut } from '../../../api/jobs'
import type { FocusReport, Job } from '../../../api/types'
import { useShoot } from '../../../state/shoot'

const STOPPED = 'Stopped before the frames were looked over. Press Run to merge them all the same.'

export const useSweep = defineStore('sweep', () => {
  const store = useShoot()
  const report = ref<FocusReport | null>(null)
  const problem = ref('')
  /** The job that looks them over, while it does. */
  const finding = ref<Pick<Job, 'stage' | 'done' | 'total'> | null>(null)
  let job: number | null = null
  let asked = 0
  /** What the report was found for. */
  let known = ''

  /** All that it depends on; nothing while a run works on the same frames. */
  const wanted = computed(() => {
    const { shoot, sent } = store
    if (!shoot || !sent || !store.rules.has_planes || store.step !== 'combine' || store.running)
      return null
    if (store.used.length < 3) return null
    const frames = store.used.map((f) => [f.id, store.treatment(f.id)])
    return JSON.stringify([shoot.id, sent.align.mode, frames])
  })

  watch(wanted, (now) => now && void find(now), { immediate: true })
  watch(
    () => store.shoot?.id,
    () => {
      report.value = null
      problem.value = ''
      known = ''
    },
  )

  async function find(now: string) {
    if (now === known) return
    const id = store.shoot!.id
    const own = ++asked
    finding.value ??= { stage: null, done: 0, total: 0 }
    try {
      const done = await carryOut(
        () => api.findSweep(id),
        (now) => {
          if (own !== asked) return
          finding.value = now
          job = now.id
        },
      )
      if (own !== asked) return
      if (done.state === 'cancelled') throw new Error(STOPPED)
      const told = await api.sweep(id)
      if (own !== asked) return
      report.value = told
      problem.value = ''
      known = now
    } catch (error) {
      if (own !== asked) return
      problem.value = sentence(error)
      report.value = null
    }
    finding.value = null
  }

  function stop() {
    const id = job
    if (id !== null) void store.attempt(() => api.cancel(id))
  }

  return { report, problem, finding, stop }
})
