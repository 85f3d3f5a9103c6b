import type { Plan, Report, ShootResult } from '../../api/types'
import { alignNames, whole } from '../../domain/units'
import { stageOf } from '../../domain/stages'

/** Whether a plan has anything done to the picture after combining. */
export function finishes(plan: Plan): boolean {
  return plan.finish.glow > 0 || plan.finish.smoothing > 0
}

/** How a result was aligned, and whether it was finished. */
export function resultHint(result: ShootResult): string {
  const aligned = alignNames[result.plan.align.mode]
  return stageOf(result.report, 'finish') ? `${aligned}, finished` : aligned
}

/** The newest result that differs from another by not being finished. */
export function unfinished(of: ShootResult, results: ShootResult[]): ShootResult | undefined {
  const rest = (plan: Plan) => JSON.stringify({ ...plan, finish: null })
  const alike = (one: ShootResult) =>
    !stageOf(one.report, 'finish') && rest(one.plan) === rest(of.plan)
  return results.find((one) => one.reference_id === of.reference_id && alike(one))
}

/** What came of finishing, in a few words. */
export function finished(report: Report): string {
  const { uneven, noise } = stageOf(report, 'finish') ?? {}
  if (uneven) return `uneven ${whole(uneven[1])}`
  if (noise) return `noise ÷ ${(noise[0] / noise[1]).toFixed(1)}`
  return 'off'
}
