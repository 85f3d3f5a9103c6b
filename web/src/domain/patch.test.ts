import { describe, expect, it } from 'vitest'
import { difference, merged } from './patch'

const plan = {
  combine: { clip: 3, level: false, method: 'clipped' },
  prepare: { white_balance: { by: 'light', kelvin: 4000, tint: 3 } },
  skyline: { strokes: [{ points: [[1, 2, 3]] }], mask: null },
  align: {},
}

describe('a change of settings', () => {
  it('names what differs alone, and what it was', () => {
    const after = { ...plan, combine: { ...plan.combine, clip: 2.5 } }
    const patch = difference(plan, after)!
    expect(patch).toEqual({ to: { combine: { clip: 2.5 } }, was: { combine: { clip: 3 } } })
    expect(difference(plan, JSON.parse(JSON.stringify(plan)))).toBeNull()
  })

  it('takes lists and choices as a whole', () => {
    const after = {
      ...plan,
      prepare: { white_balance: { by: 'as-shot' } },
      skyline: { strokes: [], mask: null },
    }
    expect(difference(plan, after)).toEqual({
      to: { prepare: { white_balance: { by: 'as-shot' } }, skyline: { strokes: [] } },
      was: {
        prepare: { white_balance: { by: 'light', kelvin: 4000, tint: 3 } },
        skyline: { strokes: plan.skyline.strokes },
      },
    })
  })

  it('takes what is left out for nothing', () => {
    const mask = { file: 'mine.png', blake3: 'ab' }
    const after = { ...plan, skyline: { strokes: plan.skyline.strokes, mask } }
    const patch = difference(plan, after)!
    expect(patch).toEqual({ to: { skyline: { mask } }, was: { skyline: { mask: null } } })
    expect(difference(after, { ...plan, align: undefined })?.to).toEqual({
      skyline: { mask: null },
      align: null,
    })
  })
})

it('is merged as the server does, so that what it leads to is what was wanted', () => {
  const after = {
    ...plan,
    combine: { ...plan.combine, clip: 2.5 },
    prepare: { white_balance: { by: 'as-shot' } },
    skyline: { strokes: [], mask: { file: 'mine.png' } },
  }
  const { to, was } = difference(plan, after)!
  expect(merged(plan, to)).toEqual(after)
  expect(merged(after, was)).toEqual(plan)
  // The settings themselves stay as they were.
  expect(plan.combine.clip).toBe(3)
})
