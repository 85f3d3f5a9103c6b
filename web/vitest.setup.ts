import { disposePinia, getActivePinia } from 'pinia'
import { afterEach } from 'vitest'
import { kinds } from './src/api/kinds'
import known from './src/api/kinds.json'
import { queries } from './src/api/queries'
import type { KindRules } from './src/api/types'

// The server's kinds, as it answered when the types were written.
kinds.value = known as KindRules[]

// Each test asks anew, and no store of an earlier one looks on.
afterEach(() => {
  const pinia = getActivePinia()
  if (pinia) disposePinia(pinia)
  queries.clear()
})
