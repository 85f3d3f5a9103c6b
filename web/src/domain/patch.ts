// What two plans differ in, as a change that leaves all other settings alone.

type Value = unknown
type Settings = Record<string, Value>

/** Settings that are changed, by name, and what they were before. */
export interface Patch {
  to: Settings
  was: Settings
}

/**
 * What leads from one set of settings to another, as the server merges it (RFC 7396): lists and choices
 * with settings of their own are changed as a whole. `null` where nothing differs.
 */
export function difference(before: object, after: object): Patch | null {
  const to: Settings = {}
  const was: Settings = {}
  const [old, now] = [before as Settings, after as Settings]
  for (const key of new Set([...Object.keys(old), ...Object.keys(now)])) {
    const [own, other] = [old[key] ?? null, now[key] ?? null]
    if (isGroup(own) && isGroup(other)) {
      const inner = difference(own, other)
      if (!inner) continue
      to[key] = inner.to
      was[key] = inner.was
    } else if (JSON.stringify(own) !== JSON.stringify(other)) {
      to[key] = other
      was[key] = own
    }
  }
  return Object.keys(to).length ? { to, was } : null
}

/** Settings after a change, as the server merges it. */
export function merged<T extends object>(settings: T, change: Settings): T {
  const now: Settings = { ...(settings as Settings) }
  for (const [key, value] of Object.entries(change)) {
    const own = now[key]
    now[key] = isGroup(own) && isGroup(value) ? merged(own, value) : value
  }
  return now as T
}

/** Settings that are changed one by one; a choice, which says what it is made by, is not. */
function isGroup(value: Value): value is Settings {
  return typeof value === 'object' && value !== null && !Array.isArray(value) && !('by' in value)
}
