// Changes of the shoot on the workbench other than those of its plan.
import { api, sentence } from '../api/client'
import type { FrameSet, Kind, Role, Shoot, ShootChange, Sort } from '../api/types'
import type { Facts } from './facts'
import type { Loading } from './loading'
import { useNotices } from './notices'

/** Carries out a change and tells why not, if not. */
export async function attempt<T>(work: () => Promise<T>): Promise<T | undefined> {
  try {
    return await work()
  } catch (error) {
    useNotices().show(sentence(error), { problem: true })
    return undefined
  }
}

export function useChanges({ shoot, chosen }: Facts, { take }: Loading) {
  /**
   * Changes settings of the shoot; the server merges the change with those of other pages, and refuses
   * it where one setting was changed on both.
   */
  function amend(id: number, change: Omit<ShootChange, 'was'>, was: ShootChange['was']) {
    const seen = shoot.value?.id === id ? shoot.value.revision : undefined
    return api.changeShoot(id, { ...change, was }, seen)
  }

  async function leaveOut(ids: number[], out: boolean) {
    const { id } = shoot.value!
    const changed = ids.filter((i) => shoot.value?.frames.find((f) => f.id === i)?.left_out !== out)
    if (!changed.length) return
    const done = await attempt(() => api.changeFrames(id, { ids: changed, left_out: out }))
    if (done) take(done)
  }

  /** What a folder gets from now on is not added any longer. */
  async function unwatch() {
    const { id } = shoot.value!
    const done = await attempt(() => api.unwatch(id))
    if (done) take(done)
  }

  /** Nothing more is said against a frame that the person wants. */
  async function keep(frame: number) {
    const { id } = shoot.value!
    const done = await attempt(() => api.changeFrames(id, { ids: [frame], kept: true }))
    if (done) take(done)
  }

  /** Changes which set or role frames have. */
  async function move(work: (id: number) => Promise<Shoot>) {
    const { id } = shoot.value!
    const done = await attempt(() => work(id))
    if (done && take(done)) chosen.value = []
  }

  /** Says what frames are for; they leave their set. */
  function setRole(ids: number[], role: Role) {
    return move((id) => api.changeFrames(id, { ids, role }))
  }

  function moveTo(ids: number[], set: FrameSet) {
    return move((id) => api.changeFrames(id, { ids, set_id: set.id }))
  }

  /** Puts frames into sets, new ones among them. */
  function sort(sets: Sort[]) {
    return move((id) => api.sortFrames(id, { sets }))
  }

  function nameSet(set: FrameSet, name: string) {
    return move((id) => api.nameSet(id, set.id, { name }))
  }

  async function stackSet(set: FrameSet) {
    const { id, stacked_set } = shoot.value!
    const done = await attempt(() => amend(id, { stacked_set: set.id }, { stacked_set }))
    if (done) take(done)
  }

  async function setKind(kind: Kind) {
    const { id } = shoot.value!
    const done = await attempt(() => api.changeShoot(id, { kind }))
    if (done) take(done)
  }

  async function setReference(frame: number) {
    const { id, reference_id } = shoot.value!
    const done = await attempt(() => amend(id, { reference_id: frame }, { reference_id }))
    if (done) take(done)
  }

  return {
    amend,
    leaveOut,
    unwatch,
    keep,
    setRole,
    moveTo,
    sort,
    nameSet,
    stackSet,
    setKind,
    setReference,
  }
}

export type Changes = ReturnType<typeof useChanges>
