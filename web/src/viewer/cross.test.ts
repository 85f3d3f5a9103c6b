import { expect, it, vi } from 'vitest'
import { useCross, type Under } from './cross'

/** A view of 400 x 300 on a picture that is shown at half its size, 50 pixels from the left. */
function made(change: Partial<Under> = {}) {
  const under = {
    size: () => ({ width: 400, height: 300 }),
    picture: () => ({ side: 'b' as const, view: { left: 50, top: 0, scale: 0.5 } }),
    hand: () => null,
    pan: vi.fn(),
    zoom: vi.fn(),
    click: vi.fn(),
    ...change,
  }
  const cross = useCross(under)
  cross.enter()
  const press = (key: string, shiftKey = false) =>
    cross.key(new KeyboardEvent('keydown', { key, shiftKey }))
  return { cross, under, press }
}

it('goes by steps and finely, and clicks the place under it', () => {
  const { cross, under, press } = made()
  expect(cross.at.value).toEqual({ x: 200, y: 150 })
  press('ArrowRight')
  press('ArrowUp', true)
  expect(cross.at.value).toEqual({ x: 216, y: 149 })
  press('Enter')
  expect(under.click).toHaveBeenCalledWith('b', (216 - 50) / 0.5, 149 / 0.5)
  expect(press('k')).toBe(false)
})

it('moves the picture at the edges, and zooms about itself', () => {
  const { cross, under, press } = made()
  for (let i = 0; i < 20; i++) press('ArrowLeft')
  expect(cross.at.value).toEqual({ x: 24, y: 150 })
  expect(under.pan).toHaveBeenLastCalledWith(-16, 0)
  press('+')
  expect(under.zoom).toHaveBeenLastCalledWith(1.25, 24, 150)
})

it('paints from one press to the next', () => {
  const hand = {
    active: true,
    radius: 10,
    shown: [],
    painting: false,
    begin: vi.fn(() => (hand.painting = true)),
    move: vi.fn(),
    end: vi.fn(() => (hand.painting = false)),
  }
  const { cross, under, press } = made({ hand: () => hand })
  press('Enter')
  expect(hand.begin).toHaveBeenCalledWith([299.5, 299.5, 20])
  press('ArrowRight')
  expect(hand.move).toHaveBeenCalledWith([331.5, 299.5, 20])
  press('Enter')
  expect(hand.end).toHaveBeenCalledTimes(1)
  press('ArrowRight')
  expect(hand.move).toHaveBeenCalledTimes(1)
  expect(under.click).not.toHaveBeenCalled()
  // Whoever leaves lifts the brush.
  press('Enter')
  cross.leave()
  expect(hand.painting).toBe(false)
})
