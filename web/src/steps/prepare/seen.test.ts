import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { effectScope, nextTick } from 'vue'
import { frame, shoot } from '../../domain/example'
import { openExample } from '../../state/example'
import { useView } from '../../state/view'
import { frameOf } from '../../domain/sources'
import { useSeen } from './seen'

vi.mock('../../api/client', async (original) => ({
  ...(await original<typeof import('../../api/client')>()),
  api: { shoot: vi.fn(), picture: vi.fn(() => new Promise(() => {})) },
}))
vi.mock('../../api/events', () => ({ listen: vi.fn(() => () => {}) }))

beforeEach(() => setActivePinia(createPinia()))

async function begin(darks: number) {
  const lights = [frame(1), frame(2), frame(3)]
  const others = Array.from({ length: darks }, (_, i) => frame(10 + i, { role: 'dark' }))
  return openExample(shoot({ frames: [...lights, ...others], reference_id: 2 }))
}

describe('what the prepare step shows', () => {
  it('tells the frame of a source, whichever way it is shown', () => {
    expect(['frame-3', 'calibrated-3', 'original-3'].map(frameOf)).toEqual([3, 3, 3])
    expect(['result-3', 'placed-1-3', null].map(frameOf)).toEqual([null, null, null])
  })

  it('shows lights as a run calibrates them, and the reference frame instead of a dark', async () => {
    const store = await begin(1)
    store.a = 'frame-10'
    const scope = effectScope()
    scope.run(() => useSeen())
    expect(store.a).toBe('calibrated-2')
    store.a = 'frame-3'
    await nextTick()
    expect(store.a).toBe('calibrated-3')
    const found = store.shoot!
    const frames = found.frames.map((f) => (f.id === 10 ? { ...f, left_out: true } : f))
    store.take({ ...found, frames })
    await nextTick()
    expect(store.a).toBe('frame-3')
    scope.stop()
  })

  it('shows a frame before and after, and gives back what was seen', async () => {
    const store = await begin(0)
    const view = useView()
    store.a = 'frame-1'
    store.b = 'result-9'
    view.mode = 'one'
    const scope = effectScope()
    const { both } = scope.run(() => useSeen())!
    both.value = true
    await nextTick()
    expect([store.a, store.b, view.mode]).toEqual(['original-1', 'frame-1', 'split'])
    both.value = false
    await nextTick()
    expect([store.a, store.b, view.mode]).toEqual(['frame-1', 'result-9', 'one'])
    scope.stop()
  })
})
