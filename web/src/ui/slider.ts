/** A slider: what it is called, where it goes, where it stands. */
export interface Slider {
  label: string
  unit?: string
  /** A sentence of help, without its point. */
  hint?: string
  min: number
  max: number
  step: number
  /** Places behind the point; fine steps have one more. */
  digits?: number
  value: number
  /** The value that does nothing; `null` where there is none. */
  usual?: number | null
  test: string
}
