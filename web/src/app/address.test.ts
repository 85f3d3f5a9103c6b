import { expect, it } from 'vitest'
import { placeIn, written } from './address'

it('writes a place and reads it again', () => {
  const place = { x: 1204, y: -3, scale: 1.5 }
  expect(written(place)).toBe('1204,-3,150')
  expect(placeIn('1204,-3,150')).toEqual(place)
  expect(written(null)).toBe('')
})

it('passes over what is no place', () => {
  for (const odd of ['', '1,2', '1,2,0', '1,2,x', '1e9,2,100', '1,2,100,4', '9999999,1,100']) {
    expect(placeIn(odd), odd).toBeNull()
  }
})
