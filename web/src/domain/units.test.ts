import { describe, expect, it } from 'vitest'
import { ago, bytes, duration, exposure, factRows, measureRows, percent, share } from './units'

describe('units', () => {
  it('writes exposures as photographers do', () => {
    expect(exposure(8)).toBe('8 s')
    expect(exposure(0.5)).toBe('0.5 s')
    expect(exposure(1 / 250)).toBe('1/250 s')
  })
  it('writes sizes and times with their unit', () => {
    expect(bytes(23_040_000)).toBe('23.0 MB')
    expect(duration(0.4)).toBe('about a second left')
    expect(duration(42.4)).toBe('about 42 s left')
    expect(ago(0, 30_000)).toBe('just now')
    expect(ago(0, 3 * 3_600_000)).toBe('3 h ago')
    expect(percent(0.0051)).toBe('0.51 %')
    expect(percent(0.00052)).toBe('0.052 %')
  })
  it('leaves out what a file does not tell', () => {
    const rows = factRows({
      format: 'png',
      width: 30,
      height: 20,
      bits: 8,
      float: false,
      exposure_s: null,
      iso: null,
      aperture: null,
      focal_mm: null,
      taken: null,
      camera: null,
      lens: null,
      profile: null,
      neutral: null,
    })
    expect(rows.map((r) => r[0])).toEqual(['Size', 'Depth', 'Profile'])
    expect(rows[2]![1]).toBe('none, sRGB assumed')
  })
  it('tells what was measured with its unit', () => {
    const measures = {
      stars: 1240,
      star_width_px: 2.214,
      roundness: null,
      level: 0.0412,
      sharpness: 0.31,
      clipped: 0.0123,
      star_width_error_px: 0.042,
      doubled: 0,
      rim: null,
      grain: null,
      detail: [],
      colour: null,
    }
    const light = {
      Background: '4.12 % of white',
      Detail: '31 % contrast',
      'At the white point': '1.2 %',
    }
    const stars = { 'Stars found': '1,240', 'Star width': '2.21 ± 0.04 px' }
    expect(Object.fromEntries(measureRows(measures, true))).toEqual({ ...stars, ...light })
    expect(Object.fromEntries(measureRows(measures, false))).toEqual(light)
  })
})

describe('shares of pixels', () => {
  it('are told so that rare ones are seen', () => {
    expect([0, 0.00004, 0.0123, 0.5].map(share)).toEqual(['0.0 %', '0.004 %', '1.2 %', '50.0 %'])
  })
})
