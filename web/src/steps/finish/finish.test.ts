import { describe, expect, it } from 'vitest'
import type { StageReport } from '../../api/types'
import { plan, result } from '../../domain/example'
import { finished, finishes, resultHint, unfinished } from './finish'

describe('the finish step', () => {
  it('is on as soon as one of its amounts is', () => {
    expect(finishes(plan)).toBe(false)
    expect(finishes({ ...plan, finish: { glow: 0, smoothing: 0.2 } })).toBe(true)
  })

  it('finds what a result was before it was finished', () => {
    const [own, before, other] = [result(9, 4), result(8, 4), result(7, 4)]
    own.report.stages.push({ stage: 'finish', seconds: 1, uneven: [1.8, 1.1], noise: null })
    own.plan = { ...plan, finish: { glow: 1, smoothing: 0 } }
    other.plan = { ...plan, combine: { ...plan.combine, method: 'mean' } }
    expect(unfinished(own, [own, other, before])?.id).toBe(8)
    expect(unfinished(own, [own, other])).toBeUndefined()
    expect([own, before].map(resultHint)).toEqual(['on the stars, finished', 'on the stars'])
  })

  it('tells what came of it by the glow, or else by the noise', () => {
    const said = (...stages: StageReport[]) => finished({ ...result(9, 4).report, stages })
    const finish = { stage: 'finish' as const, seconds: null }
    const noise: [number, number] = [0.004, 0.002]
    expect(said({ ...finish, uneven: [1.236, 0.052], noise })).toBe('uneven 5 %')
    expect(said({ ...finish, uneven: null, noise })).toBe('noise ÷ 2.0')
    expect(said({ stage: 'export', seconds: 1 })).toBe('off')
  })
})
