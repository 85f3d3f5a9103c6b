// The columns of the table of frames.
import type { Frame } from '../../api/types'
import { measured, measures } from '../../domain/measures'
import { exposure } from '../../domain/units'

export interface Column {
  name: string
  head: string
  /** What rows are sorted by. */
  by: (frame: Frame) => number | string | null
  told: (frame: Frame) => string
}

/** Columns of words rather than figures. */
export const words = ['frame', 'set', 'state']

function fact(head: string, by: Column['by'], told?: Column['told']): Column {
  return { name: head.toLowerCase(), head, by, told: told ?? ((f) => String(by(f) ?? '')) }
}

/** All columns; `group` and `state` say a frame's set and state in words. */
export function columnsOf(
  group: (frame: Frame) => string,
  state: (frame: Frame) => string,
): Column[] {
  return [
    fact('Frame', (f) => f.name),
    fact('Set', group),
    fact('State', state),
    fact(
      'Taken',
      (f) => f.facts?.taken ?? null,
      (f) => f.facts?.taken?.slice(11) ?? '',
    ),
    fact(
      'Exposure',
      (f) => f.facts?.exposure_s ?? null,
      (f) => (f.facts?.exposure_s ? exposure(f.facts.exposure_s) : ''),
    ),
    fact('ISO', (f) => f.facts?.iso ?? null),
    fact(
      'Aperture',
      (f) => f.facts?.aperture ?? null,
      (f) => (f.facts?.aperture ? `f/${Number(f.facts.aperture.toFixed(1))}` : ''),
    ),
    fact(
      'Focal',
      (f) => f.facts?.focal_mm ?? null,
      (f) => (f.facts?.focal_mm ? `${Math.round(f.facts.focal_mm)} mm` : ''),
    ),
    ...measures.map((one) => ({
      name: one.name,
      head: one.head,
      by: (f: Frame) => measured(f, one.name),
      told: (f: Frame) => {
        const value = measured(f, one.name)
        return value === null ? '' : one.told(value)
      },
    })),
  ]
}
