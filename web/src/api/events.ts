// What the server tells without being asked, with reconnection left to the browser.
import type { Event } from './types'

export function listen(on: (event: Event) => void): () => void {
  const source = new EventSource('/api/events')
  source.onmessage = (message) => on(JSON.parse(message.data) as Event)
  return () => source.close()
}
