import { describe, expect, it } from 'vitest'
import type { LensFound } from '../../api/types'
import {
  colourOf,
  distortionOf,
  halfDiagonal,
  plainLens,
  setColour,
  setDistortion,
  setShading,
  shadingOf,
  toldLens,
} from './lens'

describe('the lens by figures at the corners', () => {
  it('gives back what was set', () => {
    const lens = plainLens()
    const half = halfDiagonal({ width: 1601, height: 1201 })
    expect(half).toBe(1000)
    setDistortion(lens, -2.5)
    expect(lens.distortion).toEqual([0.025, 0])
    expect(distortionOf(lens)).toBeCloseTo(-2.5)
    setColour(lens, 'red', 1.2, half)
    expect(colourOf(lens, 'red', half)).toBeCloseTo(1.2)
    expect(lens.blue).toEqual([0, 0])
    setShading(lens, 1)
    expect(lens.shading).toEqual([-0.5, 0, 0])
    expect(shadingOf(lens)).toBeCloseTo(1)
  })

  it('keeps the shape that was found', () => {
    const lens = { ...plainLens(), distortion: [0.04, -0.01] as [number, number] }
    setDistortion(lens, -6)
    expect(lens.distortion[0]).toBeCloseTo(0.08)
    expect(lens.distortion[1]).toBeCloseTo(-0.02)
    setDistortion(lens, 0)
    expect(distortionOf(lens)).toBeCloseTo(0)
    setDistortion(lens, 1)
    expect(distortionOf(lens)).toBeCloseTo(1)
  })

  it('tells what was found and what was not', () => {
    const found: LensFound = {
      lens: plainLens(),
      distortion_px: [-36.96, 0.48],
      colour_px: [0.83, -0.54],
      colour_error_px: [0.01, 0.02],
      corner_light: null,
      missing: ['Distortion: no.'],
    }
    expect(toldLens(found)).toEqual([
      'Corners −37.0 px ± 0.5 from where they belong.',
      'Red +0.83 px and blue −0.54 px beside green at the corners, ± 0.02.',
      'Distortion: no.',
    ])
    expect(
      toldLens({ ...found, distortion_px: null, colour_px: null, corner_light: 0.62 }),
    ).toEqual(['62 % of the light reaches the corners.', 'Distortion: no.'])
  })
})
