// Changes of the plan, one after the other, and the way back.
import { api, sentence } from '../api/client'
import type { Plan } from '../api/types'
import { difference } from '../domain/patch'
import { attempt, type Changes } from './changes'
import type { Facts } from './facts'
import type { Loading } from './loading'
import { useNotices } from './notices'
import type { Queue } from './queue'

export function usePlan(facts: Facts, { load, take }: Loading, { amend }: Changes, queue: Queue) {
  const notices = useNotices()
  const { shoot, sent, held, history, reference } = facts

  /**
   * Changes the plan. `title` says what, in words that go on from "Undo". Changes of one gesture, such
   * as dragging a slider, are undone together.
   */
  async function setPlan(
    work: (plan: Plan) => void,
    title = 'a setting',
    gesture?: string,
  ): Promise<boolean> {
    const { id, plan: before } = shoot.value!
    const plan = copy(before)
    work(plan)
    const patch = difference(before, plan)
    if (!patch) {
      // What was changed last may be on its way still.
      await queue.empty()
      return shoot.value?.id === id
    }
    if (gesture) held.value ??= sent.value
    const change = { shoot: id, to: patch.to }
    queue.add(change)
    const send = () => amend(id, { plan: patch.to, title, gesture }, { plan: patch.was })
    const done = await queue.inTurn(() => attempt(send))
    const taken = done ? take(done) : false
    queue.remove(change)
    if (!gesture) held.value = null
    // What was refused shows what made it so.
    if (!done) await load(id)
    return taken
  }

  /** What is dear to show follows a gesture once it has ended. */
  function settle() {
    return queue.inTurn(async () => {
      held.value = null
    })
  }

  function copy(plan: Plan) {
    return JSON.parse(JSON.stringify(plan)) as Plan
  }

  /** Gives all frames the white balance that the reference frame was taken with. */
  async function balanceAlike() {
    const one = reference.value
    const colour = one && (await attempt(() => api.colour(one.id)))
    if (!colour) return
    const { light } = colour
    if (!light) {
      const problem = `${one.name} does not tell its light; pick a grey in the step Prepare.`
      notices.show(problem, { problem: true })
      return
    }
    const [kelvin, tint] = [Math.round(light.kelvin / 50) * 50, Math.round(light.tint)]
    await setPlan((plan) => (plan.prepare.white_balance = { by: 'light', kelvin, tint }))
    notices.show(`All frames are balanced as ${one.name}: ${kelvin} K.`)
  }

  function undo() {
    return go('undo', 'Undone')
  }

  function redo() {
    return go('redo', 'Done again')
  }

  /** Goes back or forth in the history, after the changes that are on their way. */
  function go(way: 'undo' | 'redo', done: string) {
    return queue.inTurn(async () => {
      const title = history.value[way]
      if (!shoot.value || !title) return
      const { id } = shoot.value
      try {
        take(await api[way](id))
        held.value = null
        notices.show(`${done}: ${title}.`)
      } catch (error) {
        notices.show(`Not ${done.toLowerCase()}: ${title}. ${sentence(error)}`, { problem: true })
        await load(id)
      }
    })
  }

  return { setPlan, settle, balanceAlike, undo, redo }
}
