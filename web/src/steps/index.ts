// The steps of a shoot, in the order in which people work.
import { align } from './align'
import { combine } from './combine'
import { exporting } from './export'
import { finish } from './finish'
import { frames } from './frames'
import { prepare } from './prepare'
import { skyline } from './skyline'
import type { Bench, Step } from './step'

export const steps: Step[] = [frames, prepare, align, skyline, combine, finish, exporting]

/** The steps that a shoot has. */
export function stepsOf({ rules }: Bench): Step[] {
  return steps.filter((step) => rules.steps.includes(step.name))
}

/** The step that is open. */
export function openStep({ step }: Bench): Step {
  return steps.find((one) => one.name === step) ?? frames
}
