import { beforeEach, expect, it, vi } from 'vitest'
import { job } from '../domain/example'
import { api } from './client'
import { listen } from './events'
import { carryOut } from './jobs'
import type { Event } from './types'

vi.mock('./client', async (original) => ({
  ...(await original<typeof import('./client')>()),
  api: { job: vi.fn() },
}))
vi.mock('./events', () => ({ listen: vi.fn() }))

const stop = vi.fn()
let tell: (event: Event) => void
beforeEach(() => {
  vi.clearAllMocks()
  vi.mocked(listen).mockImplementation((on) => {
    tell = on
    return stop
  })
})

it('waits for the end of what it began', async () => {
  const done = carryOut(() => Promise.resolve(job(4, 'running')))
  await Promise.resolve()
  await Promise.resolve()
  tell({ type: 'job', job: { ...job(4, 'running'), done: 3 } })
  tell({ type: 'job', job: { ...job(5, 'done'), done: 77 } })
  tell({ type: 'job', job: { ...job(4, 'done'), done: 9 } })
  expect(await done).toMatchObject({ id: 4, state: 'done', done: 9 })
  expect(stop).toHaveBeenCalledTimes(1)
})

it('sees an end that is told before the answer comes', async () => {
  const done = carryOut(() => {
    tell({ type: 'job', job: job(4, 'cancelled') })
    return Promise.resolve(job(4, 'running'))
  })
  expect((await done).state).toBe('cancelled')
})

it('asks for the job after a gap in the events', async () => {
  vi.mocked(api).job.mockResolvedValue(job(4, 'done'))
  const done = carryOut(() => Promise.resolve(job(4, 'running')))
  await Promise.resolve()
  await Promise.resolve()
  tell({ type: 'present', jobs: [] })
  expect((await done).state).toBe('done')
  expect(api.job).toHaveBeenCalledWith(4)
})

it('says why a job failed, or was not begun', async () => {
  const failed = { ...job(4, 'failed'), problem: 'No stars are seen.' }
  await expect(carryOut(() => Promise.resolve(failed))).rejects.toThrow('No stars are seen.')
  await expect(carryOut(() => Promise.reject(new Error('Busy.')))).rejects.toThrow('Busy.')
  expect(stop).toHaveBeenCalledTimes(2)
})
