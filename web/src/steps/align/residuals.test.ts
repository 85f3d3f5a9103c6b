import { describe, expect, it } from 'vitest'
import { magnification } from './residuals'

describe('magnification of residuals', () => {
  it('makes a usual arrow visible, by a round factor', () => {
    expect(
      magnification([
        [0, 0, 0.1, 0],
        [0, 0, 0, 0.1],
      ]),
    ).toBe(200)
    expect(magnification([[0, 0, 3, 4]])).toBe(4)
  })
  it('stays within bounds where nothing is left', () => {
    expect(magnification([[0, 0, 0, 0]])).toBe(4000)
    expect(magnification([])).toBe(4000)
  })
})
