import { describe, expect, it } from 'vitest'
import type { PictureInfo } from '../api/types'
import { placement, tileSource, zoomFor } from './tiles'

const info: PictureInfo = {
  source: 'result-3',
  version: 'abc',
  width: 2372,
  height: 1564,
  levels: 5,
  origin: [16, 20],
}

describe('picture source', () => {
  it('asks for the full size at the highest level', () => {
    const source = tileSource(info, 'stops=1')
    expect(source.getTileUrl(4, 2, 3)).toBe('/api/pictures/result-3/tiles/0/2_3.png?stops=1&v=abc')
    expect(source.getTileUrl(0, 0, 0)).toContain('/tiles/4/0_0.png')
  })
  it('lays a trimmed result where it belongs in the reference frame', () => {
    const place = placement(info, 2400)
    expect(place.x * 2400).toBeCloseTo(16)
    expect(place.y * 2400).toBeCloseTo(20)
    expect((place.x + place.width) * 2400).toBeCloseTo(2388)
  })
  it('knows the zoom of one to one', () => {
    // At zoom 1 the reference frame fills the container.
    expect(zoomFor(1, 2400, 1200)).toBe(2)
    expect(zoomFor(0.5, 2400, 1200)).toBe(1)
  })
})
