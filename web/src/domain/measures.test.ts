import { describe, expect, it } from 'vitest'
import type { Facts, Frame, Measures } from '../api/types'
import { frame } from './example'
import { beyond, measured, measures, seconds } from './measures'

function of(id: number, stars: number, width: number | null, change: Partial<Frame> = {}) {
  const shows = { stars, star_width_px: width, level: 0.04, clipped: 0.0002 } as Measures
  return frame(id, { measures: shows, ...change })
}

function taken(id: number, time: string | null) {
  return frame(id, { facts: { taken: time } as Facts })
}

describe('measures of frames', () => {
  it('are told with their units', () => {
    const told = (name: string, value: number) => measures.find((m) => m.name === name)!.told(value)
    expect(told('stars', 1234)).toBe('1,234')
    expect(told('width', 2.345)).toBe('2.35 px')
    expect(told('clipped', 0.0002)).toBe('0.020 %')
    expect(measured(frame(1), 'stars')).toBeNull()
  })

  it('are beyond a limit on the side that is worse', () => {
    const frames = [
      of(1, 900, 2.2),
      of(2, 300, 3.4),
      of(3, 200, null),
      of(4, 100, 5, { left_out: true }),
    ]
    const ids = (all: Frame[]) => all.map((f) => f.id)
    expect(ids(beyond(frames, 'stars', 500))).toEqual([2, 3])
    expect(ids(beyond(frames, 'width', 3))).toEqual([2])
    expect(ids(beyond(frames, 'level', 0.5))).toEqual([])
  })

  it('lie over the time, where all frames tell it', () => {
    const night = [taken(1, '2026-03-14 23:59:50'), taken(2, '2026-03-15 00:00:10')]
    expect(seconds(night)).toEqual([0, 20])
    expect(seconds([...night, taken(3, null)])).toBeNull()
    expect(seconds([])).toBeNull()
  })
})
