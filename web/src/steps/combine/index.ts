import { stageOf } from '../../domain/stages'
import { methodNames, noiseRatio } from '../../domain/units'
import { calibrationChanged, framesChanged } from '../inputs'
import { differs, ran, type Bench, type Step } from '../step'
import CombineSheet from './CombineSheet.vue'
import { foundIn } from './sweep/focus'
import MergeSheet from './sweep/MergeSheet.vue'
import { usePatches } from './sweep/patches'

/** Whether combining again would give another picture, before it is finished. */
export function combineChanged(bench: Bench): boolean {
  return (
    differs(bench, ({ plan }) => ({ ...plan, finish: null })) ||
    calibrationChanged(bench) ||
    framesChanged(bench)
  )
}

function finding(bench: Bench): string {
  const { latest } = bench
  if (!latest) return 'waiting'
  if (combineChanged(bench)) return 'changed'
  const gain = stageOf(latest.report, 'combine')?.noise
  const merged = stageOf(latest.report, 'merge')
  if (gain) return noiseRatio(gain.gain)
  return merged ? foundIn(merged) : methodNames[latest.plan.combine.method]
}

export const combine: Step = {
  name: 'combine',
  label: 'Combine',
  stage: 'combine',
  state: (bench) => ran(bench, combineChanged(bench)),
  finding,
  sheet: ({ rules }) => (rules.source === 'merge' ? MergeSheet : CombineSheet),
  hand: ({ rules }) => (rules.changes.includes('paint') ? usePatches() : null),
}
