// Whether the newest result was made of the frames that are in now.
import { isAbout } from '../domain/reports'
import type { Bench } from './step'

/** Whether other frames are in than those that the newest result was given. */
export function framesChanged({ latest, used }: Bench): boolean {
  const given = latest?.report.frames
  if (!given) return false
  return given.length !== used.length || given.some((told, i) => !isAbout(told, used[i]!))
}

/** Whether it was calibrated with other frames than those that are in. */
export function calibrationChanged({ latest, calibration }: Bench): boolean {
  const used = calibration.filter((f) => !f.left_out).map((f) => f.blake3)
  const given = latest?.calibration
  return given !== undefined && JSON.stringify([...given].sort()) !== JSON.stringify(used.sort())
}
