// The shoot on the workbench.
import { defineStore } from 'pinia'
import { attempt, useChanges } from './changes'
import { useFacts } from './facts'
import { useLoading } from './loading'
import { useOpening } from './opening'
import { usePlan } from './plan'
import { Queue } from './queue'
import { useRuns } from './runs'

export type { Step } from '../api/types'

export const useShoot = defineStore('shoot', () => {
  const queue = new Queue()
  const loading = useLoading()
  const { missing, load, take, takeJob } = loading
  const facts = useFacts(loading, queue)
  const opening = useOpening(facts, loading)
  const changes = useChanges(facts, loading)
  const plan = usePlan(facts, loading, changes, queue)
  const runs = useRuns(facts, loading, queue)
  return {
    ...facts,
    missing,
    load,
    take,
    takeJob,
    ...opening,
    ...changes,
    ...plan,
    ...runs,
    attempt,
  }
})
