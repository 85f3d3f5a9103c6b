// Saving a result, followed and stopped.
import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api } from '../api/client'
import { listen } from '../api/events'
import type { Colours, Event, NewExport } from '../api/types'
import { useShoot } from '../shoot/store'

type Told = Omit<Extract<Event, { type: 'saving' }>, 'type'>

export const useSaving = defineStore('saving', () => {
  const store = useShoot()
  const now = ref<Told | null>(null)
  /** The colours that pictures are saved in, and whether they say where they were taken. */
  const colours = ref<Colours>('input')
  const place = ref(true)
  /** How far it is, in per cent of its stage. */
  const share = computed(() =>
    now.value?.total ? Math.floor((100 * now.value.done) / now.value.total) : 0,
  )

  /** Whether this page waits for it, and so hears of its end whatever it misses. */
  let own = false

  // Also what was begun on another page, or before this one was loaded again; of this shoot alone.
  listen((event) => {
    // The end may have been missed while the page was not looked at; what goes on is told again.
    if (event.type === 'present' && !own) now.value = null
    if (event.type !== 'saving') return
    const shown = now.value?.result_id
    const known = store.results.some((result) => result.id === event.result_id)
    if (shown ? shown === event.result_id : known) now.value = event.stage && event
  })

  async function save(result: number, wish: NewExport) {
    own = true
    now.value = { result_id: result, stage: null, done: 0, total: 0, remaining_s: null }
    await store.attempt(() => api.save(result, wish))
    own = false
    now.value = null
    if (store.shoot) await store.load(store.shoot.id)
  }

  function stop() {
    const result = now.value?.result_id
    if (result) void store.attempt(() => api.stopSaving(result))
  }

  return { now, share, colours, place, save, stop }
})
