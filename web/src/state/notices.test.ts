import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { useNotices } from './notices'

beforeEach(() => {
  setActivePinia(createPinia())
  vi.useFakeTimers()
})
afterEach(() => vi.useRealTimers())

it('problems stay until they are dismissed, and other messages go', () => {
  const notices = useNotices()
  notices.show('One frame added.')
  notices.show('f2.tif is cut short.', { problem: true })
  notices.show('Deleted “Mast”.', { undo: () => {} })
  vi.advanceTimersByTime(6000)
  expect(notices.notices.map((n) => n.text)).toEqual(['f2.tif is cut short.', 'Deleted “Mast”.'])
  vi.advanceTimersByTime(3_600_000)
  expect(notices.notices.map((n) => n.text)).toEqual(['f2.tif is cut short.'])
  notices.dismiss(notices.notices[0]!.id)
  expect(notices.notices).toEqual([])
})

it('no problem is lost to those that come after it, and each is told once', () => {
  const notices = useNotices()
  for (let i = 0; i < 6; i++) notices.show(`f${i}.tif is cut short.`, { problem: true })
  for (let i = 0; i < 6; i++) notices.show(`Message ${i}.`)
  notices.show('f3.tif is cut short.', { problem: true })
  const texts = notices.notices.map((n) => n.text)
  expect(texts.filter((text) => text.startsWith('f'))).toHaveLength(6)
  expect(texts.filter((text) => text.startsWith('M')).length).toBeLessThanOrEqual(3)
})
