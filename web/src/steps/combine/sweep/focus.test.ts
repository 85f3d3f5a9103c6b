import { describe, expect, it } from 'vitest'
import type { FocusReport } from '../../../api/types'
import { foundIn, gaps, planes } from './focus'

const step = (length: number, wide = false) => ({ length, wide, double: false })
const report: FocusReport = {
  order: ['c', 'a', 'b', 'd'],
  contents: ['3', '1', '2', '4'],
  steps: [step(1), step(2.1, true), step(0.9)],
  shares: [0.1, 0.3, 0.25, 0.05],
  doubts: [],
  moved: [],
  known: 0.7,
  between: 0,
}

describe('the plot of a sweep', () => {
  it('has the planes as far apart as the focus moved', () => {
    const all = planes(report)
    expect(all.map((plane) => plane.file)).toEqual(['c', 'a', 'b', 'd'])
    expect(all.map((plane) => plane.at.toFixed(1))).toEqual(['0.0', '1.0', '3.1', '4.0'])
    expect(all[1]!.share).toBe(0.3)
    expect(all.map((plane) => plane.id)).toEqual(['3', '1', '2', '4'])
  })

  it('marks where a plane is missing', () => {
    expect(gaps(report)).toEqual([[1, 3.1]])
    expect(foundIn(report)).toBe('4 planes, 1 gap')
    const steps = report.steps.map((own) => ({ ...own, wide: false }))
    expect(gaps({ ...report, steps })).toEqual([])
    expect(foundIn({ ...report, steps })).toBe('4 planes')
  })
})
