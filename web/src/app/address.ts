// Step, sides, mode and place in the address, so that going back works and a view can be kept as a
// bookmark.
import { watch } from 'vue'
import { useRoute, useRouter, type LocationQuery } from 'vue-router'
import type { StepName } from '../steps/step'
import { steps } from '../steps'
import { frameOf, resultOf } from '../domain/sources'
import { useShoot } from '../state/shoot'
import { modes, useView, type Mode } from '../state/view'
import type { Place } from '../viewer/pane'

const SOURCE = /^[a-z]+-[\d-]+$/
const text = (value: LocationQuery[string] | undefined) => (typeof value === 'string' ? value : '')

/** A place as the address has it: what is in the middle, in pixels, and per cent of full size. */
export function written(place: Place | null): string {
  if (!place) return ''
  return [place.x, place.y, place.scale * 100].map(Math.round).join(',')
}

/** The place that a text of the address names; nothing where it names none. */
export function placeIn(at: string): Place | null {
  const [, x, y, scale] = /^(-?\d{1,6}),(-?\d{1,6}),([1-9]\d{0,4})$/.exec(at) ?? []
  return scale ? { x: Number(x), y: Number(y), scale: Number(scale) / 100 } : null
}

export function useAddress() {
  const [route, router] = [useRoute(), useRouter()]
  const [store, view] = [useShoot(), useView()]

  /** Whether there is what a source names, as far as that is known here. */
  function exists(source: string) {
    const [frame, result] = [frameOf(source), resultOf(source)]
    if (frame) return store.shoot?.frames.some((one) => one.id === frame)
    if (result) return store.results.some((one) => one.id === result)
    return SOURCE.test(source)
  }

  /** Shows what the address names; what it does not name stays. */
  function take(query: LocationQuery) {
    const { step, mode, a, b, at } = query
    if (steps.some((one) => one.name === text(step))) store.step = text(step) as StepName
    if (modes.some((one) => one.value === text(mode))) view.mode = text(mode) as Mode
    if (exists(text(a))) store.a = text(a)
    if (exists(text(b))) store.b = text(b)
    const place = placeIn(text(at))
    if (place && text(at) !== written(view.place)) view.wanted = place
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
    () => [store.opened, store.step, view.mode, store.a, store.b, view.place] as const,
    ([id, step, mode, a, b, place], [before, last]) => {
      if (!id) return
      const at = written(place)
      const query = Object.fromEntries(
        Object.entries({ step, mode, a, b, at }).filter(([, value]) => value),
      ) as Record<string, string>
      const keys = new Set([...Object.keys(query), ...Object.keys(route.query)])
      if ([...keys].every((key) => route.query[key] === query[key])) return
      // Going to another step is a way that is gone back; the rest is only noted.
      const way = id === before && step !== last && route.query.step ? 'push' : 'replace'
      void router[way]({ query })
    },
  )
}
