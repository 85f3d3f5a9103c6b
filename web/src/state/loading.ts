// Asks the server for the shoot on the workbench, and follows what it tells.
import { api, sentence } from '../api/client'
import { listen } from '../api/events'
import type { Job, Shoot } from '../api/types'
import type { Facts } from './facts'
import { useNotices } from './notices'
import type { Queue } from './queue'

export function useLoading(facts: Facts, queue: Queue) {
  const notices = useNotices()
  const { shoot, missing, opened, step, selected, a, b, chosen, sent, settled } = facts
  const { latest, used, reference } = facts
  let stop = () => {}
  /** The number of the shoot that was opened last: answers about another one come too late. */
  let wanted: number | null = null
  /** The question for a shoot that is under way, and whether something changed since it was asked. */
  let loading: { id: number; done: Promise<void> } | null = null
  let stale = false

  async function open(id: number) {
    close()
    wanted = id
    // Before it is asked for, so that nothing falls between.
    stop = listen((event) => {
      if (event.type === 'shoot' && event.id === id) void load(id)
      if (event.type === 'job' && event.job.shoot_id === id) takeJob(event.job)
      // After a lost connection the present state tells what was missed.
      if (event.type === 'present') void load(id)
    })
    await load(id)
    if (wanted !== id) return
    if (!shoot.value) return stop()
    step.value = latest.value || used.value.length > 1 ? 'combine' : 'frames'
    showLatest()
    opened.value = id
  }

  function close() {
    stop()
    stop = () => {}
    wanted = null
    opened.value = null
    shoot.value = null
    missing.value = ''
    selected.value = a.value = b.value = null
    chosen.value = []
  }

  /** Asks for the shoot as it is now; while that is under way already, once more after it. */
  async function load(id: number) {
    stale = true
    while (loading?.id === id) await loading.done
    // Who waited as well has asked for it since.
    if (!stale || wanted !== id) return
    stale = false
    const own = { id, done: ask(id) }
    loading = own
    await own.done
    if (loading === own) loading = null
  }

  async function ask(id: number) {
    const before = latest.value?.id
    try {
      const found = await api.shoot(id)
      if (wanted !== id) return
      if (shoot.value) take(found)
      else {
        sent.value = settled.value = found.plan
        shoot.value = found
      }
    } catch (error) {
      if (wanted !== id) return
      // What is on show stays while the server cannot be reached.
      if (shoot.value) notices.show(sentence(error), { problem: true })
      else missing.value = sentence(error)
      return
    }
    if (latest.value && before !== latest.value.id) showLatest()
    if (!a.value && reference.value) a.value = `frame-${reference.value.id}`
  }

  /**
   * Takes an answer with the shoot as it is now, unless it comes after an answer that tells more. Says
   * no where it comes after another shoot was opened.
   */
  function take(found: Shoot): boolean {
    if (shoot.value?.id !== found.id) return false
    if (found.revision < shoot.value.revision) return true
    if (queue.underway) found.plan = shoot.value.plan
    else sent.value = settled.value = found.plan
    shoot.value = found
    return true
  }

  function takeJob(job: Job) {
    if (!shoot.value) return
    const others = shoot.value.jobs.filter((j) => j.id !== job.id)
    shoot.value.jobs = [job, ...others].sort((p, q) => q.id - p.id)
  }

  /** One frame against the newest result, or the reference frame alone. */
  function showLatest() {
    if (latest.value) {
      a.value = `frame-${latest.value.reference_id}`
      b.value = `result-${latest.value.id}`
    } else if (reference.value) {
      a.value = `frame-${reference.value.id}`
    }
  }

  return { open, close, load, take, takeJob }
}

export type Loading = ReturnType<typeof useLoading>
