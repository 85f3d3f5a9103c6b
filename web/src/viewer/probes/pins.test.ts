import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { api } from '../../api/client'
import { useNotices } from '../../state/notices'
import { shoot } from '../../domain/example'
import { openExample } from '../../state/example'
import { useShoot } from '../../state/shoot'
import { PROBE_SIZE, usePins } from './pins'

vi.mock('../../api/client', async (original) => ({
  ...(await original<typeof import('../../api/client')>()),
  api: { shoot: vi.fn(), pin: vi.fn(), unpin: vi.fn(), undo: vi.fn() },
}))
vi.mock('../../api/events', () => ({ listen: vi.fn(() => () => {}) }))

const server = vi.mocked(api)
const size = { width: 400, height: 300 }

beforeEach(async () => {
  setActivePinia(createPinia())
  vi.clearAllMocks()
  server.pin.mockResolvedValue(shoot())
  server.shoot.mockResolvedValue(shoot())
  await openExample()
})

describe('probes', () => {
  it('lie around the place that was clicked, inside the picture', async () => {
    const pins = usePins()
    const half = PROBE_SIZE / 2
    const places: [number, number, number, number][] = [
      [200, 150, 200 - half, 150 - half],
      [2, 299, 0, 300 - PROBE_SIZE],
      [399, 0, 400 - PROBE_SIZE, 0],
    ]
    for (const [x, y, left, top] of places) {
      await pins.pin(x, y, size)
      expect(server.pin).toHaveBeenLastCalledWith(1, {
        name: 'Probe 1',
        x: left,
        y: top,
        size: PROBE_SIZE,
      })
    }
  })

  it('are not pinned beside the picture', async () => {
    const pins = usePins()
    for (const [x, y] of [
      [-1, 10],
      [10, -1],
      [400, 10],
      [10, 300],
    ] as const) {
      await pins.pin(x, y, size)
    }
    expect(server.pin).not.toHaveBeenCalled()
  })

  it('that were taken away come back by undo', async () => {
    const probe = { id: 4, name: 'Probe 1', x: 10, y: 20, size: PROBE_SIZE }
    server.unpin.mockResolvedValue(undefined)
    server.unpin.mockResolvedValue(undefined)
    await usePins().unpin(probe)
    expect(server.unpin).toHaveBeenCalledWith(1, 4)
    const notice = useNotices().notices.at(-1)!
    expect(notice.text).toBe('Probe 1 taken away.')
    server.shoot.mockResolvedValue(shoot())
    const history = { undo: 'removing a probe', redo: null }
    useShoot().take(shoot({ history }))
    server.undo.mockResolvedValue(shoot({ probes: [probe] }))
    await notice.undo?.()
    expect(useShoot().shoot?.probes).toEqual([probe])
  })
})
