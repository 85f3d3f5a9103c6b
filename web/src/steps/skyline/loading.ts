// A mask or a picture of the ground from the person's own machine.
import { api } from '../../api/client'
import type { NamedFile } from '../../api/types'
import { useShoot } from '../../state/shoot'

/** Sends the file that was chosen in an input to the server; nothing where that fails. */
export async function loaded(
  event: Event,
  kind: 'mask' | 'picture',
): Promise<NamedFile | undefined> {
  const store = useShoot()
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file) return undefined
  return store.attempt(() => api.loadForSkyline(store.shoot!.id, kind, file))
}
