import { describe, expect, it } from 'vitest'
import { counts } from './units'

describe('what frames are for', () => {
  it('tells how many there are for each purpose, and the lights always', () => {
    expect(counts([])).toBe('0 light')
    const roles = ['light', 'dark', 'light', 'bias'] as const
    expect(counts(roles.map((role) => ({ role })))).toBe('2 light · 1 dark · 1 bias')
  })
})
