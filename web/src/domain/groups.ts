// Frames of a shoot as they are shown: set by set, and what is in no set by its role.
import type { Frame, FrameSet, Role, Shoot } from '../api/types'

export interface Group {
  /** The set's number, or the role of frames in no set. */
  key: string
  /** The set, unless its frames are in none. */
  set: FrameSet | null
  role: Role
  name: string
  frames: Frame[]
  /** Whether these are what is stacked. */
  stacked: boolean
}

const order: Role[] = ['light', 'dark', 'flat', 'bias']
const loose: Record<Role, string> = {
  light: 'lights',
  dark: 'darks',
  flat: 'flats',
  bias: 'biases',
}

/** All readable frames in groups: what is stacked first, then other lights, then calibration. */
export function groupFrames(shoot: Shoot): Group[] {
  const readable = shoot.frames.filter((f) => !f.problem)
  const known = new Set(shoot.sets.map((set) => set.id))
  const sets = shoot.sets.map((set) => ({
    key: `set-${set.id}`,
    set,
    role: set.role,
    name: set.name,
    frames: readable.filter((f) => f.set_id === set.id),
    stacked: shoot.stacked_set === set.id || (shoot.stacked_set === null && set.role === 'light'),
  }))
  const others = order.map((role) => ({
    key: role,
    set: null,
    role,
    name: role === 'light' && shoot.sets.length ? 'not sorted' : loose[role],
    frames: readable.filter((f) => f.role === role && (f.set_id === null || !known.has(f.set_id))),
    stacked: shoot.stacked_set === null && role === 'light',
  }))
  const rank = (group: Group) => (group.stacked ? -1 : order.indexOf(group.role))
  return [...sets, ...others]
    .filter((group) => group.frames.length)
    .sort((a, b) => rank(a) - rank(b))
}

/** Which frames are chosen after a click on one: it alone, with what was, or all in between. */
export function choose(
  chosen: readonly number[],
  all: readonly number[],
  anchor: number | null,
  id: number,
  how: { range: boolean; toggle: boolean },
): number[] {
  const from = anchor === null ? -1 : all.indexOf(anchor)
  if (how.range && from >= 0) {
    const to = all.indexOf(id)
    const between = all.slice(Math.min(from, to), Math.max(from, to) + 1)
    return [...new Set([...(how.toggle ? chosen : []), ...between])]
  }
  if (!how.toggle) return [id]
  return chosen.includes(id) ? chosen.filter((one) => one !== id) : [...chosen, id]
}
