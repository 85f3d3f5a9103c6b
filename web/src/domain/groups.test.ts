import { describe, expect, it } from 'vitest'
import { frame, shoot } from './example'
import { choose, groupFrames } from './groups'

describe('frames in groups', () => {
  it('shows what is stacked first, then other lights, then calibration', () => {
    const frames = [
      frame(1, { set_id: 7 }),
      frame(2, { set_id: 8 }),
      frame(3, { role: 'dark', set_id: 9 }),
      frame(4),
      frame(5, { role: 'bias' }),
      frame(6, { set_id: 8, problem: 'f6.tif: cut short.' }),
    ]
    const sets = [
      { id: 7, name: 'Ground', role: 'light' as const },
      { id: 8, name: 'Sky', role: 'light' as const },
      { id: 9, name: 'Darks 8 s', role: 'dark' as const },
    ]
    const groups = groupFrames(shoot({ frames, sets, stacked_set: 8 }))
    expect(groups.map((g) => [g.name, g.frames.map((f) => f.id), g.stacked])).toEqual([
      ['Sky', [2], true],
      ['Ground', [1], false],
      ['not sorted', [4], false],
      ['Darks 8 s', [3], false],
      ['biases', [5], false],
    ])
  })

  it('stacks all lights while nothing is sorted', () => {
    const groups = groupFrames(shoot())
    expect(groups.map((g) => [g.name, g.frames.length, g.stacked])).toEqual([['lights', 5, true]])
  })
})

describe('choosing frames', () => {
  const all = [1, 2, 3, 4, 5]
  const plain = { range: false, toggle: false }
  const range = { range: true, toggle: false }
  const toggle = { range: false, toggle: true }

  it('takes one, more, or all in between', () => {
    expect(choose([1, 2], all, 2, 4, plain)).toEqual([4])
    expect(choose([4], all, 4, 2, range)).toEqual([2, 3, 4])
    expect(choose([2, 3], all, 3, 5, toggle)).toEqual([2, 3, 5])
    expect(choose([2, 3], all, 3, 3, toggle)).toEqual([2])
    expect(choose([1], all, 4, 5, { range: true, toggle: true })).toEqual([1, 4, 5])
  })

  it('takes one where nothing was chosen before', () => {
    expect(choose([], all, null, 3, range)).toEqual([3])
  })
})
