import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, it, vi } from 'vitest'
import { api } from '../../../api/client'
import type { FocusReport, Plan } from '../../../api/types'
import { frame, job, plan, shoot } from '../../../domain/example'
import { useShoot } from '../../../state/shoot'
import { useSweep } from './sweep'

vi.mock('../../../api/client', async (original) => ({
  ...(await original<typeof import('../../../api/client')>()),
  api: { shoot: vi.fn(), changeFrames: vi.fn(), findSweep: vi.fn(), sweep: vi.fn() },
}))
vi.mock('../../../api/events', () => ({ listen: vi.fn(() => () => {}) }))

const server = vi.mocked(api)
const sweep: Plan = { ...plan, kind: 'focus-sweep' }
const report: FocusReport = {
  order: [],
  contents: [],
  steps: [],
  shares: [],
  doubts: [],
  moved: [],
  known: 1,
  between: 0,
}
const frames = (out: boolean) => [1, 2, 3, 4].map((id) => frame(id, { left_out: out && id === 4 }))

beforeEach(() => {
  setActivePinia(createPinia())
  vi.clearAllMocks()
  server.shoot.mockResolvedValue(shoot({ plan: sweep, frames: frames(false) }))
  server.changeFrames.mockResolvedValue(shoot({ plan: sweep, frames: frames(true) }))
  server.findSweep.mockResolvedValue({ ...job(7, 'done'), task: 'sweep' })
  server.sweep.mockResolvedValue(report)
})

it('looks the frames over when their step is open, and again when others are in', async () => {
  const store = useShoot()
  await store.open(1)
  store.step = 'combine'
  const sweep = useSweep()
  await vi.waitFor(() => expect(sweep.report).toEqual(report))
  store.step = 'export'
  store.step = 'combine'
  await Promise.resolve()
  expect(server.findSweep).toHaveBeenCalledTimes(1)
  const problem = 'Too few can be read.'
  server.findSweep.mockResolvedValue({ ...job(8, 'failed'), task: 'sweep', problem })
  await store.leaveOut([4], true)
  await vi.waitFor(() => expect(sweep.problem).toBe('Too few can be read.'))
  expect([sweep.report, sweep.finding]).toEqual([null, null])
})
