// The lens by figures at the corners, which is how a person tells it.
import type { LensFound, LensPlan } from '../../api/types'

/** A lens that does nothing. */
export const plainLens = (): LensPlan => ({
  distortion: [0, 0],
  red: [0, 0],
  blue: [0, 0],
  shading: [0, 0, 0],
})

const sum = (values: readonly number[]) => values.reduce((all, one) => all + one, 0)

/** The same values at another sum; their shape stays where they have one. */
function scaled<T extends number[]>(values: T, to: number): T {
  const now = sum(values)
  const factor = to / now
  if (Math.abs(now) > 1e-7 && Math.abs(factor) < 1e3) return values.map((v) => v * factor) as T
  return values.map((_, i) => (i ? 0 : to)) as T
}

/** Half the diagonal in pixels. */
export function halfDiagonal(size: { width: number; height: number }) {
  return Math.hypot(size.width - 1, size.height - 1) / 2
}

/** How far the corners are drawn from where they belong, in % of half the diagonal. */
export const distortionOf = (lens: LensPlan) => -100 * sum(lens.distortion)

export function setDistortion(lens: LensPlan, percent: number) {
  lens.distortion = scaled(lens.distortion, -percent / 100)
}

/** How far a colour is drawn beside green at the corners, in pixels. */
export const colourOf = (lens: LensPlan, colour: 'red' | 'blue', half: number) =>
  sum(lens[colour]) * half

export function setColour(lens: LensPlan, colour: 'red' | 'blue', px: number, half: number) {
  lens[colour] = scaled(lens[colour], px / half)
}

/** How much darker the corners are, in stops. */
export const shadingOf = (lens: LensPlan) => -Math.log2(Math.max(0.05, 1 + sum(lens.shading)))

export function setShading(lens: LensPlan, stops: number) {
  lens.shading = scaled(lens.shading, 2 ** -stops - 1)
}

const signed = (value: number, digits: number) =>
  `${value > 0 ? '+' : ''}${value.toFixed(digits).replace('-', '−')}`

/** What was found, in sentences. */
export function toldLens(found: LensFound): string[] {
  const told: string[] = []
  if (found.distortion_px) {
    const [corner, error] = found.distortion_px
    told.push(`Corners ${signed(corner, 1)} px ± ${error.toFixed(1)} from where they belong.`)
  }
  if (found.colour_px && found.colour_error_px) {
    const [red, blue] = found.colour_px
    const error = Math.max(...found.colour_error_px)
    told.push(
      `Red ${signed(red, 2)} px and blue ${signed(blue, 2)} px beside green at the corners, ± ${error.toFixed(2)}.`,
    )
  }
  if (found.corner_light !== null)
    told.push(`${Math.round(found.corner_light * 100)} % of the light reaches the corners.`)
  return [...told, ...found.missing]
}
