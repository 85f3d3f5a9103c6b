// Changes on their way to the server.

export class Queue {
  private turn: Promise<unknown> = Promise.resolve()
  /** Changes of the plan that the server has not answered: until it has, no other answer undoes them. */
  underway = 0

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
