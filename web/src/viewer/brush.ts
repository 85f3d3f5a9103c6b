// The brush as it covers what is painted over.
import type { View } from './pane'

/** A mask of the brush at a place of the reference frame, as CSS has it. */
export function brushMask(
  at: { x: number; y: number },
  brush: { radius: number; soft: number },
  { left, top, scale }: View,
): string {
  const centre = `${left + (at.x + 0.5) * scale}px ${top + (at.y + 0.5) * scale}px`
  return `radial-gradient(circle ${brush.radius}px at ${centre}, #000 ${100 - 100 * brush.soft}%, transparent)`
}
