import { expect, test } from 'vitest'
import { pressed, slim, type Point } from './strokes'

test('a straight line keeps its ends, a corner stays', () => {
  const line = Array.from({ length: 50 }, (_, i) => [i * 2, 10, 5] as Point)
  expect(slim(line)).toEqual([
    [0, 10, 5],
    [98, 10, 5],
  ])
  const corner = [...line, ...line.map((_, i) => [98, 10 + i * 3, 5] as Point)]
  const kept = slim(corner)
  expect(kept).toHaveLength(3)
  expect(kept[1]).toEqual([98, 10, 5])
})

test('a pen that presses harder on its way keeps its width', () => {
  const points = Array.from({ length: 41 }, (_, i) => [i * 5, 0, 3 + Math.abs(20 - i)] as Point)
  const kept = slim(points)
  expect(kept.some(([, , radius]) => radius === 3)).toBe(true)
  expect(kept.length).toBeLessThan(8)
})

test('one dot stays one dot, rounded to tenths', () => {
  expect(slim([[1.234, 5.678, 2]])).toEqual([[1.2, 5.7, 2]])
})

test('a mouse paints with the radius that is set, a pen with its pressure', () => {
  expect(pressed(10, { pointerType: 'mouse', pressure: 0.5 })).toBe(10)
  expect(pressed(10, { pointerType: 'pen', pressure: 1 })).toBeCloseTo(12)
  expect(pressed(10, { pointerType: 'pen', pressure: 0.1 })).toBeLessThan(5)
})
