import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import { api } from '../../api/client'
import type { Frame, HandFound } from '../../api/types'
import { frame, plan, shoot } from '../../domain/example'
import { openExample } from '../../state/example'
import { useShoot } from '../../state/shoot'
import { useView } from '../../state/view'
import { usePairs } from './pairs'

vi.mock('../../api/client', async (original) => ({
  ...(await original<typeof import('../../api/client')>()),
  api: {
    tryByHand: vi.fn(),
    changeShoot: vi.fn(),
    shoot: vi.fn(),
    picture: vi.fn(() => new Promise(() => {})),
  },
}))
vi.mock('../../api/events', () => ({ listen: vi.fn(() => () => {}) }))

const server = vi.mocked(api)
const found: HandFound = { model: 'shift', off_px: [0], rms_px: 0 }

beforeEach(async () => {
  setActivePinia(createPinia())
  vi.clearAllMocks()
  server.tryByHand.mockResolvedValue(found)
  server.changeShoot.mockResolvedValue(shoot())
  const store = await openExample()
  store.a = 'frame-3'
  store.b = 'result-9'
})

describe('pairs set by hand', () => {
  it('lay the frame beside the reference frame, and what was shown comes back', () => {
    const [pairs, store, view] = [usePairs(), useShoot(), useView()]
    view.mode = 'blink'
    pairs.begin(frame(5))
    expect([view.mode, store.a, store.b]).toEqual(['beside', 'frame-5', 'frame-3'])
    pairs.end()
    expect([view.mode, store.a, store.b]).toEqual(['blink', 'frame-3', 'result-9'])
    expect(pairs.frame).toBeNull()
  })

  it('are set on the pictures alone', () => {
    const pairs = usePairs()
    pairs.begin({ ...frame(5), facts: { width: 600, height: 400 } as Frame['facts'] })
    pairs.set('b', 13, 24)
    for (const [x, y] of [
      [-1, 20],
      [10, -1],
      [600, 20],
      [10, 400],
    ])
      pairs.set('a', x!, y!)
    expect(pairs.whole).toEqual([])
    pairs.set('a', 599, 0)
    expect(pairs.whole).toEqual([[599, 0, 13, 24]])
  })

  it('are whole once both sides are set, in either order', () => {
    const pairs = usePairs()
    pairs.begin(frame(5))
    pairs.set('a', 10, 20)
    expect(pairs.whole).toEqual([])
    pairs.set('b', 13, 24)
    expect(pairs.whole).toEqual([[10, 20, 13, 24]])
    pairs.set('b', 100, 50)
    pairs.set('b', 101, 51)
    pairs.set('a', 98, 47)
    expect(pairs.whole).toEqual([
      [10, 20, 13, 24],
      [98, 47, 101, 51],
    ])
    pairs.remove(0)
    expect(pairs.whole).toEqual([[98, 47, 101, 51]])
  })

  it('are tried whenever they change, and only the newest answer counts', async () => {
    const pairs = usePairs()
    pairs.begin(frame(5))
    let late: (answer: HandFound) => void = () => {}
    server.tryByHand.mockReturnValueOnce(new Promise((resolve) => (late = resolve)))
    pairs.set('a', 1, 1)
    pairs.set('b', 2, 2)
    await nextTick()
    server.tryByHand.mockResolvedValueOnce({ ...found, model: 'similarity' })
    pairs.set('a', 50, 50)
    pairs.set('b', 52, 51)
    await vi.waitFor(() => expect(pairs.found?.model).toBe('similarity'))
    late(found)
    await nextTick()
    expect(pairs.found?.model).toBe('similarity')
    expect(server.tryByHand).toHaveBeenCalledTimes(2)
  })

  it('go into the plan beside those of other frames', async () => {
    const others = [{ blake3: 'hash 2', pairs: [[0, 0, 1, 1]] }]
    await openExample(
      shoot({
        plan: { ...plan, align: { ...plan.align, by_hand: others } } as typeof plan,
      }),
    )
    const pairs = usePairs()
    pairs.begin(frame(5))
    pairs.set('a', 10, 20)
    pairs.set('b', 13, 24)
    await pairs.keep()
    const by_hand = [...others, { blake3: 'hash 5', pairs: [[10, 20, 13, 24]] }]
    const sent = server.changeShoot.mock.calls[0]![1]
    expect(sent).toEqual({
      plan: { align: { by_hand } },
      title: 'a frame placed by hand',
      was: { plan: { align: { by_hand: others } } },
    })
    expect(pairs.frame).toBeNull()
  })

  it('that were kept are there again, and without any the frame is matched by itself', async () => {
    const kept = [{ blake3: 'hash 5', pairs: [[1, 2, 3, 4]] }]
    await openExample(
      shoot({
        plan: { ...plan, align: { ...plan.align, by_hand: kept } } as typeof plan,
      }),
    )
    const pairs = usePairs()
    pairs.begin(frame(5))
    expect(pairs.whole).toEqual([[1, 2, 3, 4]])
    pairs.remove(0)
    await pairs.keep()
    expect(server.changeShoot.mock.calls[0]![1].plan).toEqual({ align: { by_hand: [] } })
  })
})
