// A made-up shoot for tests.
import type { Frame, Job, Plan, Shoot, ShootResult } from '../api/types'

export const plan: Plan = {
  prepare: {
    white_balance: { by: 'as-shot' },
    demosaic: 'fine',
    highlights: 'clip',
    gain_ev: 0,
    denoise: { luminance: 0, colour: 0 },
    repair: 'auto',
    lens: { distortion: [0, 0], red: [0, 0], blue: [0, 0], shading: [0, 0, 0] },
  },
  differences: [],
  align: { mode: 'stars', model: 'auto', by_hand: [] },
  skyline: {
    mode: 'none',
    mask: null,
    strokes: [],
    margin_px: 0,
    soft_px: 0,
    ground: { from: { by: 'same' }, method: 'clipped', matched: 0 },
  },
  combine: {
    method: 'clipped',
    clip: 3,
    level: false,
    weigh: false,
    edges: 'trim',
    fill_gaps: false,
  },
  focus: { way: 'fine', patches: [] },
  finish: { glow: 0, smoothing: 0 },
} as unknown as Plan

export function frame(id: number, change: Partial<Frame> = {}): Frame {
  return {
    id,
    name: `f${id}.tif`,
    blake3: `hash ${id}`,
    version: `v${id}`,
    linked: false,
    bytes: 1000,
    role: 'light',
    facts: null,
    problem: null,
    left_out: false,
    set_id: null,
    measures: null,
    ...change,
  }
}

export function job(id: number, state: Job['state']): Job {
  return {
    id,
    shoot_id: 1,
    task: 'run',
    result_id: null,
    state,
    plan,
    stage: null,
    done: 0,
    total: 0,
    remaining_s: null,
    problem: null,
    created: 0,
    finished: null,
  }
}

export function result(id: number, reference: number, of: Plan = plan): ShootResult {
  return {
    id,
    version: `r${id}`,
    plan: of,
    calibration: [],
    reference_id: reference,
    report: { frames: [], stages: [] },
    made: 0,
    exports: [],
  } as unknown as ShootResult
}

export function shoot(change: Partial<Shoot> = {}): Shoot {
  return {
    id: 1,
    revision: 1,
    name: 'Mast',
    kind: 'night-sky',
    plan,
    reference_id: null,
    frames: [1, 2, 3, 4, 5].map((id) => frame(id)),
    doubts: [],
    checks: [],
    sets: [],
    stacked_set: null,
    proposed_sets: [],
    proposed_kind: null,
    watched: null,
    proposed_reference: null,
    results: [],
    jobs: [],
    probes: [],
    history: { undo: null, redo: null },
    ...change,
  }
}
