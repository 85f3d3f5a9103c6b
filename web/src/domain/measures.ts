// What is measured of a frame, one by one, as columns and plots show it.
import type { Frame, Measures } from '../api/types'
import { percent } from './units'

export type MeasureName = 'stars' | 'width' | 'roundness' | 'level' | 'sharpness' | 'clipped'

interface Measure {
  name: MeasureName
  label: string
  /** Short, for the head of a column. */
  head: string
  value: (measures: Measures) => number | null
  told: (value: number) => string
  /** Which end is worse. */
  worse: 'low' | 'high'
}

export const measures: Measure[] = [
  {
    name: 'stars',
    label: 'stars found',
    head: 'Stars',
    value: (m) => m.stars,
    told: (v) => Math.round(v).toLocaleString('en'),
    worse: 'low',
  },
  {
    name: 'width',
    label: 'star width',
    head: 'Width',
    value: (m) => m.star_width_px,
    told: (v) => `${v.toFixed(2)} px`,
    worse: 'high',
  },
  {
    name: 'roundness',
    label: 'roundness of stars',
    head: 'Round',
    value: (m) => m.roundness,
    told: (v) => v.toFixed(2),
    worse: 'low',
  },
  {
    name: 'level',
    label: 'background',
    head: 'Backgr.',
    value: (m) => m.level,
    told: (v) => percent(v),
    worse: 'high',
  },
  {
    name: 'sharpness',
    label: 'contrast of details',
    head: 'Detail',
    value: (m) => m.sharpness,
    told: (v) => `${(v * 100).toFixed(0)} %`,
    worse: 'low',
  },
  {
    name: 'clipped',
    label: 'at the white point',
    head: 'Clipped',
    value: (m) => m.clipped,
    told: (v) => `${(v * 100).toFixed(v < 0.001 ? 3 : 1)} %`,
    worse: 'high',
  },
]

export function measure(name: MeasureName): Measure {
  return measures.find((one) => one.name === name)!
}

/** A frame's measure, where it has one. */
export function measured(frame: Frame, name: MeasureName): number | null {
  return frame.measures ? measure(name).value(frame.measures) : null
}

/** Frames that are in and worse than a limit. */
export function beyond(frames: Frame[], name: MeasureName, limit: number): Frame[] {
  const { worse } = measure(name)
  return frames.filter((frame) => {
    const value = measured(frame, name)
    if (value === null || frame.left_out) return false
    return worse === 'low' ? value < limit : value > limit
  })
}

/** Seconds since the first frame, by the camera's clock; `null` where a frame tells no time. */
export function seconds(frames: Frame[]): number[] | null {
  const times = frames.map((f) => Date.parse(`${f.facts?.taken?.replace(' ', 'T')}Z`))
  if (!times.length || times.some(Number.isNaN)) return null
  const first = Math.min(...times)
  return times.map((time) => (time - first) / 1000)
}
