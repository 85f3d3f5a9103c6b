import { expect, it } from 'vitest'
import { result } from './example'
import { stageOf } from './stages'

it('finds the figures of a stage that was carried out', () => {
  const { report } = result(3, 1)
  report.stages.push({ stage: 'frames', seconds: 2.5, exposures: null })
  report.stages.push({ stage: 'finish', seconds: null, uneven: [0.5, 0.1], noise: null })
  expect(stageOf(report, 'finish')?.uneven).toEqual([0.5, 0.1])
  expect(stageOf(report, 'frames')?.seconds).toBe(2.5)
  expect(stageOf(report, 'skyline')).toBeUndefined()
  expect(stageOf(undefined, 'finish')).toBeUndefined()
})
