// What a click on the picture does: it places a pair, picks a grey, or pins a probe.
import { api } from '../api/client'
import { frameOf } from '../domain/sources'
import { useLayout } from '../state/layout'
import { useShoot } from '../state/shoot'
import { useView } from '../state/view'
import { usePairs } from '../steps/align/pairs'
import { usePins } from './probes/pins'
import type { Sides } from './sides'

export function useClicks(sides: Sides) {
  const [store, view, pairs, pins] = [useShoot(), useView(), usePairs(), usePins()]
  const layout = useLayout()

  /** Pins a probe at a place of the reference frame. */
  function pin(x: number, y: number) {
    if (!sides.size.value) return
    layout.showProbes()
    void pins.pin(x, y, sides.size.value)
  }

  function clicked(side: 'a' | 'b', x: number, y: number): boolean {
    if (pairs.frame) {
      pairs.set(side, x, y)
      return true
    }
    if (view.picking) {
      view.picking = false
      void pickGrey(x, y)
      return true
    }
    if (!view.pinning || !sides.size.value) return false
    view.pinning = false
    pin(x, y)
    return true
  }

  /** What lies there in the frame on show, or in the reference frame, shall be grey. */
  async function pickGrey(x: number, y: number) {
    const frame = frameOf(store.a) ?? frameOf(store.b) ?? store.reference?.id
    if (!frame) return
    const picked = await store.attempt(() => api.grey(frame, Math.round(x), Math.round(y)))
    if (!picked) return
    await store.setPlan((plan) => {
      plan.prepare.white_balance = { by: 'neutral', grey: picked.grey }
    }, 'the grey')
  }

  return { pin, clicked }
}
