// Runs of the shoot on the workbench.
import { api } from '../api/client'
import { attempt } from './changes'
import type { Facts } from './facts'
import type { Loading } from './loading'
import type { Queue } from './queue'

export function useRuns({ shoot, running, job }: Facts, { takeJob }: Loading, queue: Queue) {
  function run() {
    const { id } = shoot.value!
    // With the settings that were changed just before.
    return queue.inTurn(async () => {
      if (running.value) return
      const job = await attempt(() => api.run(id))
      if (job) takeJob(job)
    })
  }

  async function cancel() {
    const id = job.value?.id
    if (id) await attempt(() => api.cancel(id))
  }

  async function resume() {
    const id = job.value?.id
    const done = id ? await attempt(() => api.resume(id)) : undefined
    if (done) takeJob(done)
  }

  return { run, cancel, resume }
}
