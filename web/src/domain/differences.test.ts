import { describe, expect, it } from 'vitest'
import { plan as example } from './example'
import type { Plan } from '../api/types'
import { asOthers, prepareOf, setPrepare, toldChange } from './differences'

function fresh(): Plan {
  return JSON.parse(JSON.stringify(example)) as Plan
}

describe('differences of single frames', () => {
  it('are theirs alone, and follow the shoot in all else', () => {
    const plan = fresh()
    setPrepare(plan, ['a', 'b'], { denoise: { luminance: 0.4, colour: 0.8 } })
    setPrepare(plan, null, { gain_ev: 0.5 })
    expect(prepareOf(plan, 'a')).toMatchObject({ gain_ev: 0.5, denoise: { luminance: 0.4 } })
    expect(prepareOf(plan, 'c')).toMatchObject({ gain_ev: 0.5, denoise: { luminance: 0 } })
    asOthers(plan, 'a')
    expect(plan.differences.map((one) => one.blake3)).toEqual(['b'])
  })

  it('end where they are the same as the shoot', () => {
    const plan = fresh()
    setPrepare(plan, ['a'], { gain_ev: 1 })
    setPrepare(plan, ['a'], { gain_ev: 0 })
    expect(plan.differences).toEqual([])
  })

  it('are told setting by setting', () => {
    const change = {
      gain_ev: -0.3,
      denoise: { luminance: 0.4, colour: 0.8 },
      white_balance: { by: 'light' as const, kelvin: 4200, tint: 0 },
    }
    expect(toldChange(change).map((one) => one.text)).toEqual([
      '4200 K',
      '−0.3 EV',
      'noise −40 %, colour −80 %',
    ])
  })
})
