import { defineStore } from 'pinia'
import { api } from '../../api/client'
import type { Probe } from '../../api/types'
import { useNotices } from '../../state/notices'
import { useShoot } from '../../state/shoot'

/** Side of a new probe in pixels. */
export const PROBE_SIZE = 48

/** Pinning probes and taking them away. */
export const usePins = defineStore('pins', () => {
  const store = useShoot()
  const notices = useNotices()

  /** Pins a probe around a position of the reference frame. */
  async function pin(x: number, y: number, size: { width: number; height: number }) {
    const corner = (at: number, whole: number) =>
      Math.round(Math.min(Math.max(0, at - PROBE_SIZE / 2), whole - PROBE_SIZE))
    if (x < 0 || y < 0 || x >= size.width || y >= size.height) return
    const probe = {
      name: `Probe ${(store.shoot?.probes.length ?? 0) + 1}`,
      x: corner(x, size.width),
      y: corner(y, size.height),
      size: PROBE_SIZE,
    }
    const shoot = await store.attempt(() => api.pin(store.shoot!.id, probe))
    if (shoot) store.take(shoot)
  }

  async function unpin(probe: Probe) {
    const { id } = store.shoot!
    const done = await store.attempt(() => api.unpin(id, probe.id).then(() => true))
    if (!done) return
    await store.load(id)
    notices.show(`${probe.name} taken away.`, { undo: store.undo })
  }

  return { pin, unpin }
})
