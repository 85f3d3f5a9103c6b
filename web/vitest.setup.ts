// The server's kinds, as it answered when the types were written.
import type { KindRules } from './src/api/types'
import { kinds } from './src/api/kinds'
import known from './src/api/kinds.json'

kinds.value = known as KindRules[]
