// The server's kinds, as it answered when the types were written.
import type { KindRules } from './src/api/types'
import { kinds } from './src/kinds/kinds'
import known from './src/kinds/kinds.json'

kinds.value = known as KindRules[]
