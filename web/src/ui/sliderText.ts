// A slider's value as text, and back.

/** Places behind the point that a value needs, at least `digits`: fine steps have one more. */
function placesOf(value: number, digits: number): number {
  return Math.abs(value - Number(value.toFixed(digits))) > 1e-9 ? digits + 1 : digits
}

/** With its sign where a slider goes both ways, and its unit. */
export function textOf(value: number, digits: number, unit: string, signed: boolean): string {
  const sign = signed && value > 0 ? '+' : ''
  return `${sign}${value.toFixed(placesOf(value, digits)).replace('-', '−')}${unit}`
}

/** What was typed, with or without the unit; nothing where it is no number. */
export function valueIn(text: string, unit: string): number | null {
  const bare = text.trim().replace('−', '-').replace(',', '.')
  const own = unit.trim() && bare.endsWith(unit.trim()) ? bare.slice(0, -unit.trim().length) : bare
  const value = Number(own)
  return own.trim() && Number.isFinite(value) ? value : null
}

/** The nearest value that a slider can have. */
export function nearest(value: number, step: number, min: number, max: number): number {
  const inside = Math.min(max, Math.max(min, value))
  // Without the dust of binary fractions.
  return Number((Math.round(inside / step) * step).toFixed(6))
}

/** Steps that a key goes by; nothing for other keys. Shift makes them a tenth. */
export function stepsOf(event: KeyboardEvent, keys: Record<string, number>): number {
  if (event.ctrlKey || event.altKey || event.metaKey) return 0
  return (keys[event.key] ?? 0) / (event.shiftKey ? 10 : 1)
}
