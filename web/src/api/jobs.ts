// Jobs that the page begins and waits for.
import { api } from './client'
import { listen } from './events'
import type { Event, Job } from './types'

/** Whether a job goes on, or waits for its turn. */
export function isUnderWay(job: Job): boolean {
  return job.state === 'running' || job.state === 'queued'
}

/**
 * Begins a job and waits for its end, by events. A job that failed is
 * an error with the server's sentence; one that was stopped is not.
 */
export async function carryOut(begin: () => Promise<Job>): Promise<Job> {
  // Events may come before the answer.
  const heard = new Map<number, Job>()
  let tell: (event: Event) => void = (event) => {
    if (event.type === 'job') heard.set(event.job.id, event.job)
  }
  const stop = listen((event) => tell(event))
  try {
    const begun = await begin()
    const job = await new Promise<Job>((done, fail) => {
      const take = (job: Job) => {
        if (!isUnderWay(job)) done(job)
      }
      tell = (event) => {
        if (event.type === 'job' && event.job.id === begun.id) take(event.job)
        // After a gap in the events: it may have ended meanwhile.
        if (event.type === 'present') api.job(begun.id).then(take, fail)
      }
      take(heard.get(begun.id) ?? begun)
    })
    if (job.state === 'failed') throw new Error(job.problem ?? 'It failed; try again.')
    return job
  } finally {
    stop()
  }
}
