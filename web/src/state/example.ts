// A made-up shoot on the workbench, for tests.
import { vi } from 'vitest'
import { api } from '../api/client'
import type { Shoot } from '../api/types'
import { shoot } from '../domain/example'
import { useShoot } from './shoot'

/** Opens a shoot as the server would tell it; `api.shoot` is to be a made-up function. */
export async function openExample(found: Shoot = shoot()) {
  vi.mocked(api.shoot).mockResolvedValueOnce(found)
  const store = useShoot()
  await store.open(found.id)
  return store
}
