// What is told of the frames of a sweep before they are merged.
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, sentence } from '../api/client'
import { listen } from '../api/events'
import type { FocusReport, Stage } from '../api/types'
import { useShoot } from '../shoot/store'

export const useSweep = defineStore('sweep', () => {
  const store = useShoot()
  const report = ref<FocusReport | null>(null)
  const problem = ref('')
  const finding = ref<{ stage: Stage | null; done: number; total: number } | null>(null)
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
  listen((event) => {
    if (event.type !== 'finding' || event.shoot_id !== store.shoot?.id) return
    if (finding.value) finding.value = { stage: event.stage, done: event.done, total: event.total }
  })

  async function find(now: string) {
    if (now === known) return
    const id = store.shoot!.id
    const own = ++asked
    finding.value ??= { stage: null, done: 0, total: 0 }
    try {
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
    if (store.shoot) void store.attempt(() => api.stopSweep(store.shoot!.id))
  }

  return { report, problem, finding, stop }
})
