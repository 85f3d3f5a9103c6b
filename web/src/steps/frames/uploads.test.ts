import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Added } from '../../api/types'
import { upload } from '../../api/upload'
import { useNotices } from '../../state/notices'
import { frame } from '../../domain/example'
import { useUploads } from './uploads'

vi.mock('../../api/upload', () => ({ upload: vi.fn() }))

interface Sent {
  name: string
  progress: (share: number) => void
  resolve: (added: Added) => void
  reject: (error: Error) => void
  stop: ReturnType<typeof vi.fn>
}
let sent: Sent[] = []

const file = (name: string) => new File(['light'], name)
const added = (name: string, change: Partial<Added> = {}): Added => ({
  name,
  frame: frame(1, { name }),
  same_as: null,
  problem: null,
  ...change,
})
const settle = () => new Promise((resolve) => setTimeout(resolve))

beforeEach(() => {
  setActivePinia(createPinia())
  sent = []
  vi.mocked(upload).mockImplementation((_, file, progress) => {
    const stop = vi.fn()
    const done = new Promise<Added>((resolve, reject) => {
      sent.push({ name: file.name, progress, resolve, reject, stop })
    })
    return { done, stop }
  })
})

describe('uploads', () => {
  it('go three at once, the others wait', async () => {
    const uploads = useUploads()
    const all = uploads.add(1, ['a', 'b', 'c', 'd', 'e'].map(file))
    expect(sent.map((s) => s.name)).toEqual(['a', 'b', 'c'])
    sent[1]!.resolve(added('b'))
    await settle()
    expect(sent.map((s) => s.name)).toEqual(['a', 'b', 'c', 'd'])
    expect(uploads.uploads.map((u) => u.name)).toEqual(['a', 'c', 'd', 'e'])
    for (const i of [0, 2, 3]) sent[i]!.resolve(added(sent[i]!.name))
    await settle()
    sent[4]!.resolve(added('e'))
    await all
    expect(uploads.uploads).toEqual([])
  })

  it('tell how far they are together', () => {
    const uploads = useUploads()
    expect(uploads.share).toBe(0)
    void uploads.add(1, ['a', 'b'].map(file))
    sent[0]!.progress(0.5)
    sent[1]!.progress(1)
    expect(uploads.share).toBeCloseTo(0.75)
  })

  it('that fail stay in the list with the reason until they are dismissed', async () => {
    const uploads = useUploads()
    const all = uploads.add(1, [file('a')])
    sent[0]!.reject(new Error('a: the connection broke; send it again.'))
    await all
    expect(uploads.uploads.map((u) => u.problem)).toEqual([
      'a: the connection broke; send it again.',
    ])
    uploads.dismiss(uploads.uploads[0]!.id)
    expect(uploads.uploads).toEqual([])
  })

  it('can be stopped one by one', async () => {
    const uploads = useUploads()
    void uploads.add(1, ['a', 'b'].map(file))
    await settle()
    uploads.uploads[1]!.stop()
    expect(sent[0]!.stop).not.toHaveBeenCalled()
    expect(sent[1]!.stop).toHaveBeenCalled()
  })

  it('that wait are taken back without having begun, and all of them at once', async () => {
    const uploads = useUploads()
    const all = uploads.add(1, ['a', 'b', 'c', 'd', 'e', 'f'].map(file))
    await settle()
    uploads.uploads[4]!.stop()
    expect(uploads.uploads.map((u) => u.name)).toEqual(['a', 'b', 'c', 'd', 'f'])
    uploads.stopAll()
    expect(sent.map((s) => [s.name, s.stop.mock.calls.length])).toEqual([
      ['a', 1],
      ['b', 1],
      ['c', 1],
    ])
    expect(uploads.uploads.map((u) => u.name)).toEqual(['a', 'b', 'c'])
    for (const one of sent) one.resolve(added(one.name))
    await all
    expect(sent).toHaveLength(3)
  })

  it('end with one line about what became of the files', () => {
    const [uploads, notices] = [useUploads(), useNotices()]
    const last = () => notices.notices.at(-1)!
    uploads.tell([added('a'), added('b')])
    expect([last().text, last().problem]).toEqual(['2 frames added.', false])
    const broken = added('c', { frame: frame(3, { problem: 'c: cut short.' }) })
    uploads.tell([added('a'), broken])
    expect([last().text, last().problem]).toEqual(['1 frame added; 1 cannot be read.', true])
    uploads.tell([added('a', { frame: null, same_as: 'z' })])
    expect(last().text).toBe('a is there already as z.')
    uploads.tell([added('a', { frame: null, same_as: 'a' })])
    expect(last().text).toBe('a is there already.')
    const shown = notices.notices.length
    uploads.tell([])
    expect(notices.notices.length).toBe(shown)
  })

  it('says why frames were not kept, with the remedy that comes with it', () => {
    const uploads = useUploads()
    const notices = useNotices()
    const full = (name: string) =>
      added(name, {
        frame: null,
        problem: `${name}: there is no room; make room and add it again.`,
      })
    uploads.tell([full('f1.tif')])
    expect(notices.notices.at(-1)?.text).toBe(
      'f1.tif: there is no room; make room and add it again.',
    )
    uploads.tell([added('f0.tif'), full('f1.tif'), full('f2.tif')])
    expect(notices.notices.at(-1)?.text).toBe(
      'f1.tif: there is no room; make room and add it again. So it is with 1 more.',
    )
  })
})
