// Which shoot is on the workbench, and what is seen of it first.
import { watch } from 'vue'
import type { Facts } from './facts'
import type { Loading } from './loading'

export function useOpening(facts: Facts, loading: Loading) {
  const { shoot, opened, step, selected, a, b, chosen, held, latest, used, reference } = facts

  async function open(id: number) {
    close()
    await loading.follow(id)
    if (shoot.value?.id !== id) return
    step.value = latest.value || used.value.length > 1 ? 'combine' : 'frames'
    showLatest()
    opened.value = id
  }

  function close() {
    loading.unfollow()
    opened.value = held.value = null
    selected.value = a.value = b.value = null
    chosen.value = []
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

  // What a run has made is shown when it is there, and the first frame where nothing was shown.
  watch(
    [() => latest.value?.id, () => reference.value?.id],
    ([result], [before]) => {
      if (!opened.value) return
      if (result && result !== before) showLatest()
      else if (!a.value && reference.value) a.value = `frame-${reference.value.id}`
    },
    { flush: 'sync' },
  )

  return { open, close }
}
