// Changes on their way to the server.
import { shallowRef } from 'vue'

/** A change of a shoot's plan, as the server merges it. */
export interface Change {
  shoot: number
  to: Record<string, unknown>
}

export class Queue {
  private turn: Promise<unknown> = Promise.resolve()
  /** Changes of the plan that the server has not answered, the first one first: they are shown already. */
  readonly underway = shallowRef<Change[]>([])

  /** Shows a change until the server has answered it. */
  add(change: Change) {
    this.underway.value = [...this.underway.value, change]
  }

  remove(change: Change) {
    this.underway.value = this.underway.value.filter((one) => one !== change)
  }

  /** Work after what was begun before, so that changes reach the server in their order. */
  inTurn<T>(work: () => Promise<T>): Promise<T> {
    const done = this.turn.then(work)
    this.turn = done.catch(() => undefined)
    return done
  }

  /** Waits for all that was begun so far. */
  async empty(): Promise<void> {
    await this.turn
  }
}
