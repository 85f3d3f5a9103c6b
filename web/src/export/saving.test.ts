import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, it, vi } from 'vitest'
import { api } from '../api/client'
import { listen } from '../api/events'
import type { Event } from '../api/types'
import { useNotices } from '../parts/notices'
import { result, shoot } from '../shoot/example'
import { useShoot } from '../shoot/store'
import { useSaving } from './saving'

vi.mock('../api/client', async (original) => ({
  ...(await original<typeof import('../api/client')>()),
  api: { shoot: vi.fn(), save: vi.fn(), stopSaving: vi.fn() },
}))
vi.mock('../api/events', () => ({ listen: vi.fn(() => () => {}) }))

const server = vi.mocked(api)
const told = (done: number): Event => ({
  type: 'saving',
  result_id: 7,
  stage: 'export',
  done,
  total: 40,
  remaining_s: 2,
})

beforeEach(() => {
  setActivePinia(createPinia())
  vi.clearAllMocks()
  server.shoot.mockResolvedValue(shoot({ results: [result(7, 3)] }))
  server.stopSaving.mockResolvedValue(undefined)
})

it('follows what it saves, and stops it', async () => {
  await useShoot().open(1)
  const saving = useSaving()
  const tell = vi.mocked(listen).mock.calls.at(-1)![0]
  let end: (files: []) => void = () => {}
  server.save.mockReturnValue(new Promise((done) => (end = done)))
  const saved = saving.save(7, { format: 'tiff16' })
  expect([saving.now?.result_id, saving.share]).toEqual([7, 0])
  tell(told(10))
  // Neither another shoot nor a connection that comes back ends it.
  tell({ ...told(0), result_id: 9, stage: null } as Event)
  tell({ type: 'present', jobs: [] })
  expect([saving.now?.remaining_s, saving.share]).toEqual([2, 25])
  saving.stop()
  expect(server.stopSaving).toHaveBeenCalledWith(7)
  end([])
  await saved
  expect(saving.now).toBeNull()
})

it('shows what was begun of this shoot on another page until it ends', async () => {
  await useShoot().open(1)
  const saving = useSaving()
  const tell = vi.mocked(listen).mock.calls.at(-1)![0]
  tell({ ...told(20), result_id: 9 } as Event)
  expect(saving.now).toBeNull()
  tell(told(39))
  expect(saving.share).toBe(97)
  saving.stop()
  expect(server.stopSaving).toHaveBeenCalledWith(7)
  tell({ ...told(0), stage: null } as Event)
  expect(saving.now).toBeNull()
  // The end may be missed.
  tell(told(39))
  tell({ type: 'present', jobs: [] })
  expect(saving.now).toBeNull()
})

it('tells why it could not be saved', async () => {
  const store = useShoot()
  await store.open(1)
  const saving = useSaving()
  server.save.mockRejectedValue(new Error('There is no room left.'))
  await saving.save(7, { format: 'png16' })
  expect(saving.now).toBeNull()
  expect(useNotices().notices.map((notice) => notice.text)).toEqual(['There is no room left.'])
})
