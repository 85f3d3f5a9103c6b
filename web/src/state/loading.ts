// Asks the server for the shoot on the workbench, and follows what it tells.
import { replaceEqualDeep, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, sentence } from '../api/client'
import { listen } from '../api/events'
import { freshen, queries } from '../api/queries'
import type { Job, Shoot } from '../api/types'
import { useNotices } from './notices'

const keyOf = (id: number | null) => ['shoot', id] as const

/** An answer that comes after one that tells more is passed over; parts that are alike stay the same. */
function newer(before: unknown, found: unknown): unknown {
  const [old, now] = [before as Shoot | undefined, found as Shoot]
  return old && now.revision < old.revision ? old : replaceEqualDeep(old, now)
}

export function useLoading() {
  const notices = useNotices()
  /** The number of the shoot that is asked for. */
  const id = ref<number | null>(null)
  let stop = () => {}

  const query = useQuery(
    {
      queryKey: computed(() => keyOf(id.value)),
      queryFn: ({ queryKey }) => api.shoot(queryKey[1]!),
      enabled: computed(() => id.value !== null),
      structuralSharing: newer,
      shallow: true,
    },
    queries,
  )
  /** The shoot as the server has it. */
  const known = computed(() => (query.data.value?.id === id.value ? query.data.value! : null))
  /** Why there is none to show. */
  const missing = computed(() =>
    query.error.value && !known.value && id.value !== null ? sentence(query.error.value) : '',
  )
  // What is on show stays while the server refuses to tell more.
  watch(query.error, (error) => {
    if (error && known.value) notices.show(sentence(error), { problem: true })
  })

  /** Follows a shoot, and waits for the first answer. */
  async function follow(wanted: number) {
    unfollow()
    // Before it is asked for, so that nothing falls between.
    stop = listen((event) => {
      if (event.type === 'shoot' && event.id === wanted) void load(wanted)
      if (event.type === 'job' && event.job.shoot_id === wanted) takeJob(event.job)
      // After a lost connection the present state tells what was missed.
      if (event.type === 'present') void load(wanted)
    })
    id.value = wanted
    // A refusal shows in `missing`.
    await query.refetch({ cancelRefetch: false })
    if (id.value === wanted && !known.value) stop()
  }

  function unfollow() {
    stop()
    stop = () => {}
    id.value = null
  }

  /** Asks for the shoot as it is now. */
  async function load(of: number) {
    if (of === id.value) await freshen(keyOf(of))
  }

  /** Takes an answer with the shoot as it is now; says no where another shoot is open. */
  function take(found: Shoot): boolean {
    if (found.id !== id.value) return false
    queries.setQueryData(keyOf(found.id), found)
    return true
  }

  function takeJob(job: Job) {
    queries.setQueryData<Shoot>(keyOf(job.shoot_id), (found) => {
      if (!found) return undefined
      const others = found.jobs.filter((j) => j.id !== job.id)
      return { ...found, jobs: [job, ...others].sort((p, q) => q.id - p.id) }
    })
  }

  return { id, known, missing, follow, unfollow, load, take, takeJob }
}

export type Loading = ReturnType<typeof useLoading>
