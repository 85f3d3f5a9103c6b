// Settings of the prepare step that single frames have for themselves.
import type { Plan, PrepareChange, PreparePlan } from '../api/types'

/** The treatment of one frame. */
export function prepareOf(plan: Plan, blake3: string): PreparePlan {
  const own = plan.differences.filter((one) => one.blake3 === blake3)
  // What is null is as in the whole shoot, like what is absent.
  const given = (change: PrepareChange) =>
    Object.fromEntries(Object.entries(change).filter(([, value]) => value !== null))
  return own.reduce<PreparePlan>(
    (prepare, one) => ({ ...prepare, ...given(one.change) }),
    plan.prepare,
  )
}

/** Changes settings of some frames, or of the whole shoot; what becomes as the shoot's is dropped. */
export function setPrepare(plan: Plan, of: readonly string[] | null, change: PrepareChange) {
  if (!of) {
    Object.assign(plan.prepare, change)
    return
  }
  for (const blake3 of of) {
    let own = plan.differences.find((one) => one.blake3 === blake3)
    if (!own) plan.differences.push((own = { blake3, change: {} }))
    Object.assign(own.change, change)
  }
  tidy(plan)
}

/** Gives frames the shoot's own settings back. */
export function asOthers(plan: Plan, blake3: string) {
  plan.differences = plan.differences.filter((one) => one.blake3 !== blake3)
}

function tidy(plan: Plan) {
  for (const own of plan.differences) {
    for (const name of Object.keys(own.change) as (keyof PrepareChange)[]) {
      if (JSON.stringify(own.change[name]) === JSON.stringify(plan.prepare[name])) {
        delete own.change[name]
      }
    }
  }
  plan.differences = plan.differences.filter((own) => Object.keys(own.change).length)
}

/** A change in words, setting by setting. */
export function toldChange(change: PrepareChange): { name: keyof PrepareChange; text: string }[] {
  const told: { name: keyof PrepareChange; text: string }[] = []
  const { white_balance: balance, gain_ev: gain, denoise, highlights } = change
  if (balance) {
    const text =
      balance.by === 'light'
        ? `${Math.round(balance.kelvin)} K`
        : balance.by === 'neutral'
          ? 'grey picked'
          : 'balanced as shot'
    told.push({ name: 'white_balance', text })
  }
  if (gain != null) {
    const text = `${gain > 0 ? '+' : ''}${gain.toFixed(1).replace('-', '−')} EV`
    told.push({ name: 'gain_ev', text })
  }
  if (denoise) {
    const [bright, colour] = [denoise.luminance, denoise.colour].map((v) => Math.round(v * 100))
    told.push({ name: 'denoise', text: `noise −${bright} %, colour −${colour} %` })
  }
  if (highlights) told.push({ name: 'highlights', text: `highlights: ${highlights}` })
  return told
}
