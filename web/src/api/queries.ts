// What was asked of the server, shared by all who ask it, with late answers passed over.
import { notifyManager, QueryClient, type QueryKey } from '@tanstack/vue-query'
import { watch } from 'vue'
import { connected } from './events'

// An answer shows at once, together with what the page changes because of it.
notifyManager.setScheduler((tell) => tell())

/** Events tell when an answer is stale; until then it holds, and nothing is kept that nobody shows. */
export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: Infinity,
      gcTime: 0,
      retry: false,
      refetchOnWindowFocus: false,
      refetchOnReconnect: false,
      networkMode: 'always',
    },
  },
})

// What could not be asked is asked once the server is there again.
watch(connected, (heard) => {
  if (heard) void queries.refetchQueries({ predicate: ({ state }) => state.status === 'error' })
})

/**
 * Asks anew. Where the question is under way already it is asked once more after its answer: asked from
 * the start at each event, it would never be answered while events come fast.
 */
export async function freshen(queryKey: QueryKey): Promise<void> {
  if (queries.isFetching({ queryKey })) await answered(queryKey)
  // Of all that waited, the first one asks and the others wait for its answer.
  await queries.invalidateQueries({ queryKey }, { cancelRefetch: false })
}

function answered(queryKey: QueryKey): Promise<void> {
  return new Promise((done) => {
    const stop = queries.getQueryCache().subscribe(() => {
      if (queries.isFetching({ queryKey })) return
      stop()
      done()
    })
  })
}
