import { useShoot } from '../../state/shoot'

/** Shows a frame by itself on side A. */
export function useLook() {
  const store = useShoot()
  return (id: number) => {
    store.selected = id
    store.a = `frame-${id}`
  }
}
