import { combineChanged } from '../combine'
import { differs, ran, type Bench, type Step } from '../step'
import { finished, finishes } from './finish'
import FinishSheet from './FinishSheet.vue'

const isOff = ({ shoot }: Bench) => shoot !== null && !finishes(shoot.plan)
const changed = (bench: Bench) => differs(bench, ({ plan }) => plan.finish)

function finding(bench: Bench): string {
  if (isOff(bench)) return 'off'
  const { latest } = bench
  return changed(bench) || !latest ? 'not yet run' : finished(latest.report)
}

export const finish: Step = {
  name: 'finish',
  label: 'Finish',
  stage: 'finish',
  state: (bench) =>
    isOff(bench) ? 'waiting' : ran(bench, changed(bench) || combineChanged(bench)),
  finding,
  sheet: () => FinishSheet,
}
