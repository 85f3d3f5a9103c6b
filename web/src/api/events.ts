// What the server tells without being asked, with reconnection left to the browser.
import type { Event } from './types'

const listeners = new Set<(event: Event) => void>()
let source: EventSource | null = null
/** The id of the last event; the server goes on after it. */
let last = ''

/**
 * Calls `on` with whatever the server tells, until the returned function is called. All of a page share
 * one connection, and a page that is not looked at, or left but kept by the browser to be gone back to,
 * holds none: the browser has six for all pages of a server. When it is looked at again, what it missed
 * comes first, or the present state where that is not known any more.
 */
export function listen(on: (event: Event) => void): () => void {
  // Each has its own turn, though it be the same function.
  const own = (event: Event) => on(event)
  listeners.add(own)
  if (listeners.size === 1) {
    document.addEventListener('visibilitychange', follow)
    window.addEventListener('pagehide', close)
    window.addEventListener('pageshow', follow)
  }
  follow()
  return () => {
    if (!listeners.delete(own) || listeners.size) return
    document.removeEventListener('visibilitychange', follow)
    window.removeEventListener('pagehide', close)
    window.removeEventListener('pageshow', follow)
    close()
  }
}

function follow() {
  if (document.hidden) return close()
  if (source) return
  source = new EventSource(last ? `/api/events?after=${last}` : '/api/events')
  source.onmessage = (message) => {
    last = message.lastEventId
    const event = JSON.parse(message.data) as Event
    listeners.forEach((tell) => tell(event))
  }
}

function close() {
  source?.close()
  source = null
}
