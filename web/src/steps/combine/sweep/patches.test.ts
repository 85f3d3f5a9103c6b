import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, it, vi } from 'vitest'
import { api } from '../../../api/client'
import type { FocusReport, Plan, ShootResult } from '../../../api/types'
import { plan, result, shoot } from '../../../domain/example'
import { merged } from '../../../domain/patch'
import { useShoot } from '../../../state/shoot'
import { patchName, usePatches } from './patches'

vi.mock('../../../api/client', async (original) => ({
  ...(await original<typeof import('../../../api/client')>()),
  api: { shoot: vi.fn(), changeShoot: vi.fn(), undo: vi.fn(), picture: vi.fn(), sharpest: vi.fn() },
}))
vi.mock('../../../api/events', () => ({ listen: vi.fn(() => () => {}) }))

const server = vi.mocked(api)
const sweep: Plan = { ...plan, kind: 'focus-sweep' }
const focus: FocusReport = {
  order: ['a', 'b'],
  contents: ['hash 1', 'hash 2'],
  steps: [],
  shares: [],
  doubts: [],
  moved: [],
  known: 1,
  between: 0,
}
const ID = 7
const sharp = (frame_id: number, file: string, sharp: number) =>
  ({ frame_id, file, blake3: file, sharp }) // prettier-ignore

beforeEach(() => {
  setActivePinia(createPinia())
  vi.clearAllMocks()
  let now = sweep
  const own = result(ID, 1, sweep)
  const made: ShootResult = {
    ...own,
    report: { ...own.report, stages: [{ stage: 'merge', seconds: 1, ...focus }] },
  }
  const history = { undo: 'a patch of a frame', redo: null }
  const shown = () => shoot({ plan: now, results: [made], history })
  server.shoot.mockImplementation(() => Promise.resolve(shown()))
  server.changeShoot.mockImplementation((_, change) => {
    now = merged(now, change.plan ?? {})
    return Promise.resolve(shown())
  })
  server.undo.mockImplementation(() => {
    now = sweep
    return Promise.resolve(shown())
  })
  server.picture.mockImplementation((source) =>
    Promise.resolve({ source, version: 'v1', width: 9, height: 6, levels: 1, origin: [0, 0] }),
  )
  server.sharpest.mockResolvedValue([
    sharp(1, 'near', 1),
    sharp(2, 'far', 0.4),
    sharp(3, 'last', 0.1),
  ])
})

async function opened() {
  const store = useShoot()
  const patches = usePatches()
  await store.open(1)
  store.step = 'combine'
  await vi.waitFor(() => expect(patches.result?.id).toBe(ID))
  return { store, patches }
}

it('paints the sharpest frame under the pointer, or the next one, and shows it at once', async () => {
  const { store, patches } = await opened()
  patches.tool = 'frame'
  patches.begin([1, 1, 4])
  expect(patches.painting).toBe(false)
  patches.hover({ x: 4, y: 3 })
  await vi.waitFor(() => expect(patches.frame?.file).toBe('near'))
  expect(server.sharpest).toHaveBeenCalledWith(ID, 4, 3)
  patches.next(1)
  expect(patches.frame?.file).toBe('far')
  patches.next(-2)
  expect(patches.frame?.file).toBe('last')
  // What would be painted is at hand to be seen under the brush.
  await vi.waitFor(() => expect(patches.offered?.source).toBe(`offered-${ID}-3`))
  expect(patches.at).toEqual({ x: 4, y: 3 })
  patches.kept = null
  patches.begin([1, 1, 4])
  patches.move([30, 1, 4])
  await patches.end()
  const from = { by: 'frame', blake3: 'near' }
  expect(store.shoot?.plan.focus.patches).toEqual([
    { from, points: [[1, 1, 4], [30, 1, 4]], soft: 0.5 }, // prettier-ignore
  ])
  await vi.waitFor(() => expect(patches.info?.source).toBe(`painted-${ID}`))
  await vi.waitFor(() => expect(patches.pending).toEqual([]))
  await store.undo()
  expect(store.shoot?.plan.focus.patches).toEqual([])
  // The result itself is shown again.
  await vi.waitFor(() => expect(patches.info).toBe(null))
})

it('says where the other way must be merged first', async () => {
  const { patches } = await opened()
  patches.tool = 'smooth'
  expect(patches.offered).toBe(null)
  patches.begin([1, 1, 4])
  await patches.end()
  await vi.waitFor(() => expect(patches.unseen).toBe(true))
  patches.tool = 'fine'
  await vi.waitFor(() => expect(patches.offered?.source).toBe(`offered-${ID}-fine`))
  await patches.takeBack()
  patches.begin([1, 1, 4])
  await patches.end()
  await vi.waitFor(() => expect(patches.info).not.toBe(null))
  expect(patches.unseen).toBe(false)
  expect(patchName({ by: 'way', way: 'fine' })).toBe('a patch of fine hair')
})
