import { calibrationChanged } from '../inputs'
import { differs, ran, type Bench, type Step } from '../step'
import PrepareSheet from './PrepareSheet.vue'

/** The treatment in a few words. */
function treatment({ calibration, shoot }: Bench): string {
  const balance = shoot?.plan.prepare.white_balance
  if (calibration.length) return 'calibrated'
  if (balance?.by === 'light') return `${Math.round(balance.kelvin)} K`
  return balance?.by === 'neutral' ? 'grey picked' : 'as shot'
}

export const prepare: Step = {
  name: 'prepare',
  label: 'Prepare',
  stage: 'prepare',
  state: (bench) =>
    ran(
      bench,
      calibrationChanged(bench) || differs(bench, ({ plan }) => [plan.prepare, plan.differences]),
    ),
  finding: treatment,
  sheet: () => PrepareSheet,
}
