import { expect, it } from 'vitest'
import { nearest, textOf, valueIn } from './sliderText'

it('tells a value with its sign and unit, and fine steps with one more place', () => {
  expect(textOf(0.5, 1, ' EV', true)).toBe('+0.5 EV')
  expect(textOf(-0.31, 1, ' EV', true)).toBe('−0.31 EV')
  expect(textOf(5200, 0, ' K', false)).toBe('5200 K')
  expect(textOf(0, 1, '', true)).toBe('0.0')
})

it('reads what it tells, and what people type', () => {
  for (const value of [-0.3, 0, 2.5]) {
    expect(valueIn(textOf(value, 1, ' EV', true), ' EV')).toBe(value)
  }
  expect([valueIn(' 1,5 ', ' px'), valueIn('40%', ' %'), valueIn('-2', '')]).toEqual([1.5, 40, -2])
  expect([valueIn('', ' K'), valueIn(' K', ' K'), valueIn('warm', ' K')]).toEqual([
    null,
    null,
    null,
  ])
})

it('keeps to the steps and the ends', () => {
  expect(nearest(0.34, 0.1, -3, 3)).toBe(0.3)
  expect(nearest(0.34, 0.01, -3, 3)).toBe(0.34)
  expect([nearest(99, 5, 0, 60), nearest(-99, 5, 0, 60)]).toEqual([60, 0])
  expect(nearest(1e9, 50, 2000, 12_000)).toBe(12_000)
})
