import { isReference } from '../../domain/reports'
import { framesChanged } from '../inputs'
import { differs, ran, type Bench, type Step } from '../step'
import AlignLayer from './AlignLayer.vue'
import AlignSheet from './AlignSheet.vue'

/** How well the frames lie on each other: the middle of their distances. */
function finding({ latest }: Bench): string {
  if (!latest) return 'waiting'
  if (latest.plan.align.mode === 'none') return 'unaligned'
  const { report } = latest
  const aligned = report.frames.filter((f) => f.used && f.rms_px && !isReference(f, report))
  const rms = aligned.map((f) => f.rms_px!).sort((p, q) => p - q)
  return rms.length ? `${rms[Math.floor(rms.length / 2)]!.toFixed(2)} px rms` : 'no match'
}

export const align: Step = {
  name: 'align',
  label: 'Align',
  stage: 'align',
  state: (bench) => ran(bench, framesChanged(bench) || differs(bench, ({ plan }) => plan.align)),
  finding,
  sheet: () => AlignSheet,
  layer: AlignLayer,
}
