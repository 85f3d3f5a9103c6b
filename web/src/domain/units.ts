// Measurements as people write them.
import type {
  AlignMode,
  Facts,
  Measures,
  Method,
  Role,
  ShootResult,
  MergeMethod,
} from '../api/types'
import { rulesOf } from '../api/kinds'

export function exposure(seconds: number): string {
  if (seconds >= 0.3) return `${Number(seconds.toFixed(1))} s`
  return `1/${Math.round(1 / seconds)} s`
}

export function bytes(count: number): string {
  if (count < 1e6) return `${Math.max(1, Math.round(count / 1e3))} kB`
  return count < 1e9 ? `${(count / 1e6).toFixed(1)} MB` : `${(count / 1e9).toFixed(2)} GB`
}

export function duration(seconds: number): string {
  if (seconds < 1.5) return 'about a second left'
  if (seconds < 90) return `about ${Math.round(seconds)} s left`
  return `about ${Math.round(seconds / 60)} min left`
}

export function ago(time: number, now: number): string {
  const minutes = Math.floor((now - time) / 60_000)
  if (minutes < 1) return 'just now'
  if (minutes < 60) return `${minutes} min ago`
  if (minutes < 60 * 24) return `${Math.floor(minutes / 60)} h ago`
  return new Date(time).toISOString().slice(0, 10)
}

/** Facts of a frame as pairs of label and value; what the file does not tell is left out. */
export function factRows(facts: Facts): [string, string][] {
  const rows: [string, string | null | undefined][] = [
    ['Size', `${facts.width} × ${facts.height} px`],
    ['Depth', `${facts.bits} bit${facts.float ? ' float' : ''} ${facts.format.toUpperCase()}`],
    ['Exposure', facts.exposure_s == null ? null : exposure(facts.exposure_s)],
    ['ISO', facts.iso == null ? null : String(facts.iso)],
    ['Aperture', facts.aperture == null ? null : `f/${Number(facts.aperture.toFixed(1))}`],
    ['Focal length', facts.focal_mm == null ? null : `${Number(facts.focal_mm.toFixed(1))} mm`],
    ['Taken', facts.taken],
    ['Camera', facts.camera],
    ['Lens', facts.lens],
    [
      'Profile',
      facts.profile ?? (facts.format === 'raw' ? 'the camera’s own' : 'none, sRGB assumed'),
    ],
  ]
  return rows.filter((row): row is [string, string] => row[1] != null)
}

/** What a file tells of a frame, in one line. */
export function factLine(f: Facts): string {
  const parts = [
    `${f.width} × ${f.height}`,
    `${f.bits} bit`,
    f.exposure_s && exposure(f.exposure_s),
    f.iso && `ISO ${f.iso}`,
    f.aperture && `f/${Number(f.aperture.toFixed(1))}`,
    f.focal_mm && `${Number(f.focal_mm.toFixed(1))} mm`,
    f.taken?.slice(11),
  ]
  return parts.filter(Boolean).join(' · ')
}

/** What a frame shows, as pairs of label and value; of stars only if there may be some. */
export function measureRows(measures: Measures, starry: boolean): [string, string][] {
  const stars: [string, string | null][] = [
    ['Stars found', measures.stars.toLocaleString('en')],
    [
      'Star width',
      measures.star_width_px === null
        ? null
        : `${measures.star_width_px.toFixed(2)}${
            measures.star_width_error_px === null
              ? ''
              : ` ± ${measures.star_width_error_px.toFixed(2)}`
          } px`,
    ],
    ['Roundness', measures.roundness === null ? null : measures.roundness.toFixed(2)],
  ]
  const rows: [string, string | null | undefined][] = [
    ...(starry ? stars : []),
    ['Background', `${percent(measures.level)} of white`],
    ['Detail', `${(measures.sharpness * 100).toFixed(0)} % contrast`],
    [
      'At the white point',
      `${(measures.clipped * 100).toFixed(measures.clipped < 0.001 ? 0 : 1)} %`,
    ],
  ]
  return rows.filter((row): row is [string, string] => row[1] != null)
}

export const roleNames: Record<Role, string> = {
  light: 'light',
  dark: 'dark',
  flat: 'flat',
  bias: 'bias',
}

/** "12 light · 4 dark": how many frames there are for each purpose. */
export function counts(frames: { role: Role }[]): string {
  const roles = Object.keys(roleNames) as Role[]
  const told = roles.flatMap((role) => {
    const count = frames.filter((f) => f.role === role).length
    return count || role === 'light' ? [`${count} ${roleNames[role]}`] : []
  })
  return told.join(' · ')
}

export const methodNames: Record<Method, string> = {
  mean: 'mean',
  median: 'median',
  clipped: 'clipped mean',
  lightest: 'lightest',
  darkest: 'darkest',
  spread: 'spread',
}

export const wayNames: Record<MergeMethod, string> = {
  fine: 'fine hair',
  smooth: 'smooth surfaces',
}

export const alignNames: Record<AlignMode, string> = {
  stars: 'on the stars',
  scene: 'on the scene',
  none: 'not aligned',
}

/** What a result is: "clipped mean of 12". */
export function resultName(result: ShootResult): string {
  const used = result.report.frames.filter((f) => f.used).length
  const { kind, focus, combine } = result.plan
  if (rulesOf(kind).source === 'merge') return `${wayNames[focus.way]}, merged of ${used}`
  return `${methodNames[combine.method]} of ${used}`
}

/** How much less noise there is, as a ratio; more noise is told as such. */
export function noiseRatio(gain: number, digits = 1): string {
  return gain >= 1 ? `noise ÷ ${gain.toFixed(digits)}` : `noise × ${(1 / gain).toFixed(2)}`
}

/** Noise, given as a share of white. */
export function percent(value: number): string {
  return `${(value * 100).toFixed(value < 0.001 ? 3 : 2)} %`
}

/** A share in whole hundredths. */
export function whole(share: number): string {
  return `${Math.round(100 * share)} %`
}

/** A share of pixels. */
export function share(value: number): string {
  const hundredths = value * 100
  return `${hundredths.toFixed(hundredths > 0 && hundredths < 0.1 ? 3 : 1)} %`
}

/** A share in hundredths, as a slider has it: without the dust of binary fractions. */
export function inPercent(share: number): number {
  return Number((100 * share).toFixed(3))
}
