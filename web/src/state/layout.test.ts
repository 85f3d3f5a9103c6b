import { createPinia, setActivePinia } from 'pinia'
import { nextTick } from 'vue'
import { beforeEach, expect, it, vi } from 'vitest'
import { shoot } from '../domain/example'
import { openExample } from './example'
import { useLayout } from './layout'

vi.mock('../api/client', async (original) => ({
  ...(await original<typeof import('../api/client')>()),
  api: { shoot: vi.fn() },
}))
vi.mock('../api/events', () => ({ listen: vi.fn(() => () => {}) }))

const probe = { id: 4, name: 'Probe 1', x: 10, y: 20, size: 48 }
const open = (layout: ReturnType<typeof useLayout>) => [layout.sheet, layout.strip, layout.probes]

beforeEach(() => {
  localStorage.clear()
  setActivePinia(createPinia())
})

it('shows probes while there are some, unless they were folded away', async () => {
  const layout = useLayout()
  expect(open(layout)).toEqual([true, true, false])
  await openExample(shoot({ probes: [probe] }))
  expect(layout.probes).toBe(true)
  layout.toggle('probes')
  expect(layout.probes).toBe(false)
  // Whoever pins one wants to see it.
  layout.showProbes()
  expect(layout.probes).toBe(true)
})

it('folds all panels away by one key, and opens them again', () => {
  const layout = useLayout()
  layout.toggle('strip')
  layout.toggleAll()
  expect(open(layout)).toEqual([false, false, false])
  layout.toggleAll()
  expect(open(layout)).toEqual([true, true, false])
})

it('remembers what is folded', async () => {
  useLayout().toggle('sheet')
  await nextTick()
  setActivePinia(createPinia())
  expect(open(useLayout())).toEqual([false, true, false])
})

it('shows the picture alone, and everything as it was before', async () => {
  const layout = useLayout()
  await layout.setAlone(true)
  expect([layout.alone, ...open(layout)]).toEqual([true, false, false, false])
  await layout.setAlone(false)
  expect([layout.alone, ...open(layout)]).toEqual([false, true, true, false])
})
