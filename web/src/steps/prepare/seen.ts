// What of a frame the prepare step shows: as a run would calibrate it, and beside it as it came.
import { onUnmounted, ref, watch } from 'vue'
import { frameOf } from '../../domain/sources'
import { useShoot } from '../../state/shoot'
import { useView, type Mode } from '../../state/view'

export function useSeen() {
  const store = useShoot()
  const view = useView()
  /** Whether the picture is shown before and after. */
  const both = ref(false)
  let before: { b: string | null; mode: Mode } | null = null

  /** A light as a run would treat it. */
  function treated(id: number) {
    const light = store.shoot?.frames.find((f) => f.id === id)?.role === 'light'
    return light && store.calibration.some((f) => !f.left_out) ? `calibrated-${id}` : `frame-${id}`
  }

  function show() {
    const id = frameOf(store.a) ?? (both.value ? store.reference?.id : undefined)
    if (!id) return
    if (both.value) {
      store.a = `original-${id}`
      store.b = treated(id)
    } else {
      store.a = treated(id)
    }
  }

  // Treated are the lights: with another frame on show, or a result, it is the reference frame.
  const shown = store.shoot?.frames.find((f) => f.id === frameOf(store.a))
  if (shown?.role !== 'light' && store.reference) store.a = `frame-${store.reference.id}`

  watch(() => [store.a, store.calibration.map((f) => `${f.id} ${f.left_out}`).join()], show, {
    immediate: true,
  })
  watch(both, (on) => {
    if (on) {
      before = { b: store.b, mode: view.mode }
      view.mode = 'split'
    } else if (before) {
      store.b = before.b
      view.mode = before.mode
      before = null
    }
    show()
  })
  onUnmounted(() => {
    if (before) {
      store.b = before.b
      view.mode = before.mode
    }
    const id = frameOf(store.a)
    if (id) store.a = `frame-${id}`
  })
  return { both, treated }
}
