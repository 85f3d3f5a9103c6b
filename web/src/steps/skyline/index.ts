import { stageOf } from '../../domain/stages'
import { share } from '../../domain/units'
import { differs, ran, type Bench, type Step } from '../step'
import { useSkyline } from './skyline'
import SkylineSheet from './SkylineSheet.vue'
import SkylineStrip from './SkylineStrip.vue'

const isOff = ({ shoot }: Bench) => shoot?.plan.skyline.mode === 'none'
const changed = (bench: Bench) => differs(bench, ({ plan }) => plan.skyline)

function finding(bench: Bench): string {
  if (isOff(bench)) return 'off'
  const sky = stageOf(bench.latest?.report, 'skyline')?.sky
  return changed(bench) || sky === undefined ? 'not yet run' : `${share(sky)} sky`
}

export const skyline: Step = {
  name: 'skyline',
  label: 'Skyline',
  stage: 'skyline',
  state: (bench) => (isOff(bench) ? 'waiting' : ran(bench, changed(bench))),
  finding,
  sheet: () => SkylineSheet,
  strip: SkylineStrip,
  hand: () => useSkyline(),
}
