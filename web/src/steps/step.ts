// What the bar, the page and the viewer need of a step.
import type { Component } from 'vue'
import type { Stage, Step as StepName } from '../api/types'
import type { useShoot } from '../state/shoot'
import type { Hand } from '../viewer/paint/hand'

export type { StepName }
export type Bench = ReturnType<typeof useShoot>
export type Dot = 'done' | 'changed' | 'waiting' | 'running' | 'blocked'

export interface Step {
  name: StepName
  label: string
  /** The stage of a run at which this step is under way. */
  stage?: Stage
  /** Its state while no run is at it. */
  state: (bench: Bench) => Dot
  /** What is known of it, in a few words with a figure. */
  finding: (bench: Bench) => string
  /** Its settings, on the left. */
  sheet: (bench: Bench) => Component
  /** What lies over the picture. It gets `place`, where the picture lies on the screen. */
  layer?: Component
  /** What lies under the picture, instead of the frames. */
  strip?: Component
  /** What paints on the picture. */
  hand?: (bench: Bench) => Hand | null
}

/** The state of a step whose settings went into the newest result. */
export function ran(bench: Bench, changed: boolean | undefined): Dot {
  return !bench.latest ? 'waiting' : changed ? 'changed' : 'done'
}

/** Whether settings differ from those of the newest result. */
export function differs(bench: Bench, of: (plan: Bench['latest'] & object) => unknown): boolean {
  const [latest, plan] = [bench.latest, bench.shoot?.plan]
  if (!latest || !plan) return false
  return JSON.stringify(of(latest)) !== JSON.stringify(of({ ...latest, plan }))
}
