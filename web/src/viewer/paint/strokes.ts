/** `[x, y, radius]` in pixels of the reference frame. */
export type Point = [number, number, number]

/** The same line with fewer points: those that lie within a tenth of the radius of it are left out. */
export function slim(points: Point[]): Point[] {
  const rounded = points.map((point) => point.map((v) => Math.round(v * 10) / 10) as Point)
  if (rounded.length < 3) return rounded
  const kept = new Set([0, rounded.length - 1])
  const open: [number, number][] = [[0, rounded.length - 1]]
  for (let part = open.pop(); part; part = open.pop()) {
    const [from, to] = part
    let [most, far] = [0, -1]
    for (let i = from + 1; i < to; i++) {
      const off = distance(rounded[i]!, rounded[from]!, rounded[to]!)
      if (off > most) [most, far] = [off, i]
    }
    if (far > 0 && most > Math.max(0.3, 0.1 * rounded[far]![2])) {
      kept.add(far)
      open.push([from, far], [far, to])
    }
  }
  return rounded.filter((_, i) => kept.has(i))
}

/** How far a point is from a line between two others; radii count like places. */
function distance(point: Point, from: Point, to: Point) {
  const way = to.map((v, i) => v - from[i]!)
  const length = way.reduce((sum, v) => sum + v * v, 0)
  const along = way.reduce((sum, v, i) => sum + v * (point[i]! - from[i]!), 0) / (length || 1)
  const part = Math.min(1, Math.max(0, along))
  return Math.hypot(...way.map((v, i) => point[i]! - from[i]! - part * v))
}

/** The radius that a pen pressed so hard paints with; a mouse presses half. */
export function pressed(radius: number, event: { pointerType: string; pressure: number }) {
  return event.pointerType === 'pen' ? radius * (0.3 + 0.9 * event.pressure) : radius
}

/** The next smaller radius of a brush, and the next larger one, in pixels of the screen. */
export const shrunk = (radius: number) => Math.max(2, Math.round(radius / 1.25))
export const grown = (radius: number) => Math.min(120, Math.round(radius * 1.25) + 1)
