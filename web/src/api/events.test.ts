import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { connected, listen } from './events'
import type { Event as Told } from './types'

/** Stands for the browser's own. */
class Source {
  static all: Source[] = []
  onmessage: ((message: { data: string; lastEventId?: string }) => void) | null = null
  onopen: (() => void) | null = null
  onerror: (() => void) | null = null
  open = true
  constructor(readonly path: string) {
    Source.all.push(this)
  }
  close() {
    this.open = false
  }
}

const open = () => Source.all.filter((source) => source.open)

describe('listening', () => {
  beforeEach(() => {
    Source.all = []
    vi.stubGlobal('EventSource', Source)
  })
  afterEach(() => vi.unstubAllGlobals())

  it('hears what the server tells', () => {
    const heard: Told[] = []
    const stop = listen((event) => heard.push(event))
    expect(open().map((source) => source.path)).toEqual(['/api/events'])
    open()[0]!.onmessage!({ data: '{"type":"shoot","id":4}' })
    expect(heard).toEqual([{ type: 'shoot', id: 4 }])
    stop()
    expect(open()).toEqual([])
  })

  it('shares one connection between all that listen', () => {
    const heard: Told[] = []
    const stops = [0, 1].map(() => listen((event) => heard.push(event)))
    expect(open()).toHaveLength(1)
    open()[0]!.onmessage!({ data: '{"type":"shoot","id":4}' })
    expect(heard).toHaveLength(2)
    stops[0]!()
    stops[0]!()
    open()[0]!.onmessage!({ data: '{"type":"shoot","id":4}' })
    expect(heard).toHaveLength(3)
    stops[1]!()
    expect(open()).toEqual([])
  })

  it('holds no connection while the page is not looked at', () => {
    const stop = listen(() => {})
    const hidden = vi.spyOn(document, 'hidden', 'get').mockReturnValue(true)
    document.dispatchEvent(new Event('visibilitychange'))
    expect(open()).toHaveLength(0)
    hidden.mockReturnValue(false)
    document.dispatchEvent(new Event('visibilitychange'))
    expect(open()).toHaveLength(1)
    stop()
    hidden.mockRestore()
  })

  it('holds no connection while the page is left, and one when it is gone back to', () => {
    const heard: Told[] = []
    const stop = listen((event) => heard.push(event))
    // The first show of a page comes after it began to listen.
    window.dispatchEvent(new Event('pageshow'))
    expect(open()).toHaveLength(1)
    window.dispatchEvent(new Event('pagehide'))
    expect(open()).toHaveLength(0)
    window.dispatchEvent(new Event('pageshow'))
    expect(open()).toHaveLength(1)
    open()[0]!.onmessage!({ data: '{"type":"shoot","id":5}' })
    expect(heard).toEqual([{ type: 'shoot', id: 5 }])
    stop()
    window.dispatchEvent(new Event('pageshow'))
    expect(open()).toEqual([])
  })

  it('goes on after the last event that it heard', () => {
    const stop = listen(() => {})
    open()[0]!.onmessage!({ data: '{"type":"shoot","id":5}', lastEventId: '17-42' })
    window.dispatchEvent(new Event('pagehide'))
    window.dispatchEvent(new Event('pageshow'))
    expect(open().map((source) => source.path)).toEqual(['/api/events?after=17-42'])
    stop()
  })

  it('says when the server cannot be heard, and tries again until it can', () => {
    vi.useFakeTimers()
    const heard: Told[] = []
    const stop = listen((event) => heard.push(event))
    open()[0]!.onopen!()
    open()[0]!.onmessage!({ data: '{"type":"shoot","id":5}', lastEventId: '17-43' })
    for (let i = 0; i < 3; i++) {
      open()[0]!.onerror!()
      expect([connected.value, open().length]).toEqual([false, 0])
      vi.advanceTimersByTime(2000)
    }
    expect(open().map((source) => source.path)).toEqual(['/api/events?after=17-43'])
    open()[0]!.onopen!()
    expect(connected.value).toBe(true)
    // It is tried at once when the network is back.
    open()[0]!.onerror!()
    window.dispatchEvent(new Event('online'))
    expect(open()).toHaveLength(1)
    stop()
    vi.advanceTimersByTime(9000)
    expect(open()).toEqual([])
    vi.useRealTimers()
  })
})
