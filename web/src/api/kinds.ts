// Kinds of shoots, and what follows from each, as the server tells them.
import { shallowRef } from 'vue'
import { api } from './client'
import type { Kind, KindRules } from './types'

/** All kinds, in the order in which they are offered; empty until the server has answered. */
export const kinds = shallowRef<KindRules[]>([])

/** For kinds that are not known yet: nothing is left out. */
function unknown(kind: Kind): KindRules {
  return {
    kind,
    name: kind,
    about: '',
    source: 'combine',
    changes: [],
    steps: ['frames', 'prepare', 'align', 'skyline', 'combine', 'finish', 'export'],
    align: ['stars', 'scene', 'none'],
    edges: ['trim', 'keep', 'fill'],
    chooses_reference: true,
    is_of_the_sky: false,
    judges_stars: true,
    is_lit: false,
    has_planes: false,
  }
}

/** What follows from a kind. */
export function rulesOf(kind: Kind): KindRules {
  return kinds.value.find((rules) => rules.kind === kind) ?? unknown(kind)
}

/** Asks the server, and again after a while where it does not answer. */
export async function loadKinds(): Promise<void> {
  const again = 2000
  try {
    kinds.value = await api.kinds()
  } catch {
    setTimeout(() => void loadKinds(), again)
  }
}
