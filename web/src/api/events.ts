// What the server tells without being asked.
import { ref } from 'vue'
import type { Event } from './types'

/** For so long nothing is tried after the browser has given a connection up, in milliseconds. */
const AGAIN = 2000

const listeners = new Set<(event: Event) => void>()
let source: EventSource | null = null
let waiting = 0
/** The id of the last event; the server goes on after it. */
let last = ''

/** Whether the server can be heard, as far as is known. */
export const connected = ref(true)

/**
 * Calls `on` with whatever the server tells, until the returned function is called. All of a page share
 * one connection, and a page that is not looked at, or left but kept by the browser to be gone back to,
 * holds none: the browser has six for all pages of a server. When it is looked at again, or the server is
 * there again, what was missed comes first, or the present state where that is not known any more.
 */
export function listen(on: (event: Event) => void): () => void {
  // Each has its own turn, though it be the same function.
  const own = (event: Event) => on(event)
  listeners.add(own)
  if (listeners.size === 1) {
    document.addEventListener('visibilitychange', follow)
    window.addEventListener('pagehide', close)
    window.addEventListener('pageshow', follow)
    window.addEventListener('online', reconnect)
  }
  follow()
  return () => {
    if (!listeners.delete(own) || listeners.size) return
    document.removeEventListener('visibilitychange', follow)
    window.removeEventListener('pagehide', close)
    window.removeEventListener('pageshow', follow)
    window.removeEventListener('online', reconnect)
    close()
  }
}

function follow() {
  if (document.hidden) return close()
  if (!source) connect()
}

function connect() {
  const own = new EventSource(last ? `/api/events?after=${last}` : '/api/events')
  source = own
  own.onopen = () => (connected.value = true)
  own.onmessage = (message) => {
    last = message.lastEventId
    const event = JSON.parse(message.data) as Event
    listeners.forEach((tell) => tell(event))
  }
  own.onerror = () => {
    connected.value = false
    // The browser tries again by itself, but slowly, and not after an answer that is none of events.
    own.close()
    waiting = window.setTimeout(reconnect, AGAIN)
  }
}

function reconnect() {
  close()
  follow()
}

function close() {
  clearTimeout(waiting)
  source?.close()
  source = null
}
