// What the server tells without being asked, with reconnection left to the browser.
import type { Event } from './types'

/**
 * Calls `on` with whatever the server tells, until the returned function is called. A page that is
 * left, but kept by the browser to be gone back to, does not listen: the browser has six connections
 * for all pages of a server.
 */
export function listen(on: (event: Event) => void): () => void {
  let source: EventSource | null = null
  function open() {
    if (source) return
    source = new EventSource('/api/events')
    source.onmessage = (message) => on(JSON.parse(message.data) as Event)
  }
  function close() {
    source?.close()
    source = null
  }
  open()
  window.addEventListener('pagehide', close)
  window.addEventListener('pageshow', open)
  return () => {
    window.removeEventListener('pagehide', close)
    window.removeEventListener('pageshow', open)
    close()
  }
}
