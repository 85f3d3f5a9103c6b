import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, it, vi } from 'vitest'
import { api } from '../../api/client'
import type { Plan } from '../../api/types'
import { frame, job, plan, shoot } from '../../domain/example'
import { merged } from '../../domain/patch'
import { useShoot } from '../../state/shoot'
import { strokeName, useSkyline } from './skyline'

vi.mock('../../api/client', async (original) => ({
  ...(await original<typeof import('../../api/client')>()),
  api: {
    shoot: vi.fn(),
    changeShoot: vi.fn(),
    findSkyline: vi.fn(),
    skyline: vi.fn(),
    picture: vi.fn(),
  },
}))
vi.mock('../../api/events', () => ({ listen: vi.fn(() => () => {}) }))

const server = vi.mocked(api)
const seen = { version: 'v1', current: true, sky: 0.6, unsure: 0.01, frames: 6, places: [] }
const picture = { source: 'skyline-1', version: 'v1', width: 900, height: 600, levels: 3 }

beforeEach(() => {
  setActivePinia(createPinia())
  vi.clearAllMocks()
  let now: Plan = plan
  server.shoot.mockImplementation(() => Promise.resolve(shoot({ plan: now })))
  server.changeShoot.mockImplementation((_, change) => {
    now = merged(now, change.plan ?? {})
    return Promise.resolve(shoot({ plan: now }))
  })
  server.findSkyline.mockResolvedValue({ ...job(3, 'done'), task: 'skyline' })
  server.skyline.mockResolvedValue(seen)
  server.picture.mockResolvedValue({ ...picture, origin: [0, 0] })
})

async function opened() {
  const store = useShoot()
  const skyline = useSkyline()
  await store.open(1)
  store.step = 'skyline'
  await vi.waitFor(() => expect(skyline.info?.version).toBe('v1'))
  return { store, skyline }
}

it('finds the skyline when its step is opened, and again after a stroke', async () => {
  const { store, skyline } = await opened()
  expect(server.skyline).toHaveBeenCalledTimes(1)
  skyline.tool = 'ground-stroke'
  skyline.begin([10, 10, 4])
  skyline.move([30.04, 10, 4])
  await skyline.end()
  expect(store.shoot?.plan.skyline.strokes).toEqual([
    {
      paint: 'ground-stroke',
      points: [
        [10, 10, 4],
        [30, 10, 4],
      ],
      soft: 0,
    },
  ])
  expect(store.shoot?.plan.skyline.mode).toBe('auto')
  await vi.waitFor(() => expect(server.skyline).toHaveBeenCalledTimes(2))
  await vi.waitFor(() => expect(skyline.pending).toEqual([]))
  expect(server.changeShoot.mock.calls[0]![1].title).toBe('a ground stroke')
  await skyline.takeBack()
  expect(skyline.strokes).toEqual([])
})

it('tells why there is none, and shows nothing then', async () => {
  const problem = 'No stars are seen.'
  server.findSkyline.mockResolvedValue({ ...job(3, 'failed'), task: 'skyline', problem })
  const store = useShoot()
  const skyline = useSkyline()
  await store.open(1)
  store.step = 'skyline'
  await vi.waitFor(() => expect(skyline.problem).toBe('No stars are seen.'))
  expect([skyline.info, skyline.finding]).toEqual([null, null])
})

it('finds it in one frame alone, and not without any', async () => {
  server.shoot.mockResolvedValue(shoot({ frames: [frame(1)] }))
  const { store } = await opened()
  expect(server.skyline).toHaveBeenCalledTimes(1)
  server.shoot.mockResolvedValue(shoot({ id: 2, frames: [] }))
  await store.open(2)
  store.step = 'skyline'
  await new Promise((settled) => setTimeout(settled, 10))
  expect(server.skyline).toHaveBeenCalledTimes(1)
})

it('names what is painted', () => {
  expect(strokeName('sky-stroke')).toBe('a sky stroke')
  expect(strokeName('ground-brush')).toBe('a brush stroke')
})
