// Step, sides and mode in the address, so that going back works and a view can be kept as a bookmark.
import { watch } from 'vue'
import { useRoute, useRouter, type LocationQuery } from 'vue-router'
import type { StepName } from '../steps/step'
import { steps } from '../steps'
import { frameOf, resultOf } from '../domain/sources'
import { useShoot } from '../state/shoot'
import { modes, useView, type Mode } from '../state/view'

const SOURCE = /^[a-z]+-[\d-]+$/
const text = (value: LocationQuery[string] | undefined) => (typeof value === 'string' ? value : '')

export function useAddress() {
  const [route, router] = [useRoute(), useRouter()]
  const [store, view] = [useShoot(), useView()]
  let taking = false

  /** Whether there is what a source names, as far as that is known here. */
  function exists(source: string) {
    const [frame, result] = [frameOf(source), resultOf(source)]
    if (frame) return store.shoot?.frames.some((one) => one.id === frame)
    if (result) return store.results.some((one) => one.id === result)
    return SOURCE.test(source)
  }

  /** Shows what the address names; what it does not name stays. */
  function take(query: LocationQuery) {
    taking = true
    const { step, mode, a, b } = query
    if (steps.some((one) => one.name === text(step))) store.step = text(step) as StepName
    if (modes.some((one) => one.value === text(mode))) view.mode = text(mode) as Mode
    if (exists(text(a))) store.a = text(a)
    if (exists(text(b))) store.b = text(b)
    taking = false
  }

  watch(
    () => store.opened,
    (id) => id !== null && take(route.query),
    { flush: 'sync' },
  )
  watch(
    () => route.query,
    (query) => store.opened && take(query),
  )
  watch(
    () => [store.opened, store.step, view.mode, store.a, store.b] as const,
    ([id, step, mode, a, b], [before, last]) => {
      if (!id || taking) return
      const query = { step, mode, ...(a ? { a } : {}), ...(b ? { b } : {}) }
      const same = Object.entries(query).every(([key, value]) => route.query[key] === value)
      if (same) return
      // Going to another step is a way that is gone back; the rest is only noted.
      const way = id === before && step !== last && route.query.step ? 'push' : 'replace'
      void router[way]({ query })
    },
  )
}
