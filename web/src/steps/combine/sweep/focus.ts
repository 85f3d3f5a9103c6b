import type { FocusReport } from '../../../api/types'
import { idOf } from '../../../domain/reports'

/** A frame of a sweep as the plot shows it. */
export interface Plane {
  file: string
  /** What names it in reports. */
  id: string
  /** Where its plane lies, in usual steps from the first one on. */
  at: number
  /** Share of the picture that is sharpest in it. */
  share: number
}

/** Planes of a sweep in the order of focus, as far apart as the focus moved. */
export function planes({ order, contents, steps, shares }: FocusReport): Plane[] {
  let at = 0
  return order.map((file, i) => {
    if (i > 0) at += steps[i - 1]!.length
    return { file, id: idOf({ file, content: contents[i] ?? '' }), at, share: shares[i]! }
  })
}

/** The gaps between planes in which another one is missing. */
export function gaps(report: FocusReport): [number, number][] {
  const all = planes(report)
  return report.steps.flatMap((step, i) =>
    step.wide ? [[all[i]!.at, all[i + 1]!.at] as [number, number]] : [],
  )
}

/** What was found in a few words: planes, and how many are missing between them. */
export function foundIn(report: FocusReport): string {
  const missing = gaps(report).length
  return `${report.order.length} planes${missing ? `, ${missing} ${missing > 1 ? 'gaps' : 'gap'}` : ''}`
}

/** The colours of the depth map from the first plane to the last one, as the server draws it. */
export const grades = ['#e8c06a', '#5cc8a1', '#4a86c8', '#6b4f9e']
