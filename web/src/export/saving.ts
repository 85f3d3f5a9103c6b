// Saving a result, followed and stopped.
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api } from '../api/client'
import { listen } from '../api/events'
import type { Event, ExportFormat } from '../api/types'
import { useShoot } from '../shoot/store'

type Told = Omit<Extract<Event, { type: 'saving' }>, 'type'>

export const useSaving = defineStore('saving', () => {
  const store = useShoot()
  const now = ref<Told | null>(null)
  /** How far it is, in per cent of its stage. */
  const share = computed(() =>
    now.value?.total ? Math.floor((100 * now.value.done) / now.value.total) : 0,
  )

  // Also what was begun on another page, or before this one was loaded again.
  listen((event) => {
    if (event.type === 'saving') now.value = event.stage && event
  })

  async function save(result: number, format: ExportFormat) {
    now.value = { result_id: result, stage: null, done: 0, total: 0, remaining_s: null }
    await store.attempt(() => api.save(result, format))
    now.value = null
    if (store.shoot) await store.load(store.shoot.id)
  }

  function stop() {
    const own = now.value
    if (own) void store.attempt(() => api.stopSaving(own.result_id))
  }

  return { now, share, save, stop }
})
