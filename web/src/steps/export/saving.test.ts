import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, it, vi } from 'vitest'
import { api } from '../../api/client'
import { listen } from '../../api/events'
import type { Job } from '../../api/types'
import { useNotices } from '../../state/notices'
import { job, result, shoot } from '../../domain/example'
import { useShoot } from '../../state/shoot'
import { useSaving } from './saving'

vi.mock('../../api/client', async (original) => ({
  ...(await original<typeof import('../../api/client')>()),
  api: { shoot: vi.fn(), save: vi.fn(), cancel: vi.fn() },
}))
vi.mock('../../api/events', () => ({ listen: vi.fn(() => () => {}) }))

const server = vi.mocked(api)
const saving = (change: Partial<Job> = {}): Job => ({
  ...job(4, 'running'),
  task: 'save',
  result_id: 7,
  stage: 'export',
  total: 40,
  remaining_s: 2,
  ...change,
})

beforeEach(() => {
  setActivePinia(createPinia())
  vi.clearAllMocks()
  server.shoot.mockResolvedValue(shoot({ results: [result(7, 3)] }))
})

it('follows what is saved, from whichever page it was begun, and stops it', async () => {
  await useShoot().open(1)
  const store = useSaving()
  const tell = vi.mocked(listen).mock.calls.at(-1)![0]
  server.save.mockResolvedValue(saving({ done: 0, stage: null }))
  await store.save(7, { format: 'tiff16' })
  expect([store.now?.result_id, store.share]).toEqual([7, 0])
  tell({ type: 'job', job: saving({ done: 10 }) })
  expect([store.now?.remaining_s, store.share]).toEqual([2, 25])
  // A run that begins meanwhile does not end it.
  tell({ type: 'job', job: job(5, 'running') })
  expect(store.share).toBe(25)
  store.stop()
  expect(server.cancel).toHaveBeenCalledWith(4)
  tell({ type: 'job', job: saving({ state: 'cancelled' }) })
  expect([store.now, store.problem]).toEqual([null, ''])
})

it('tells why it could not be saved', async () => {
  const shown = useShoot()
  await shown.open(1)
  const store = useSaving()
  server.save.mockRejectedValue(new Error('A JPEG cannot be linear.'))
  await store.save(7, { format: 'jpeg' })
  expect(store.now).toBeNull()
  expect(useNotices().notices.map((notice) => notice.text)).toEqual(['A JPEG cannot be linear.'])
  shown.takeJob(saving({ state: 'failed', problem: 'There is no room left.' }))
  expect(store.problem).toBe('There is no room left.')
})
