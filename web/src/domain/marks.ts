// What is said of single frames: by what they show, and by the result on show.
import { computed } from 'vue'
import type { Frame } from '../api/types'
import { useShoot } from '../state/shoot'
import { idOf } from './reports'

export function useMarks() {
  const store = useShoot()
  const doubts = computed(
    () => new Map((store.shoot?.doubts ?? []).map((d) => [d.frame_id, d.reason])),
  )
  const verdicts = computed(() => {
    const unused = store.shown?.report.frames.filter((f) => !f.used) ?? []
    return new Map(unused.map((f) => [idOf(f), f.reason ?? 'not used']))
  })
  /** What speaks against a frame. */
  const doubt = (one: Frame) => doubts.value.get(one.id) ?? null
  /** Why the result on show did without it, or what speaks against it. */
  const remark = (one: Frame) =>
    verdicts.value.get(one.blake3) ?? verdicts.value.get(one.name) ?? doubt(one)
  return { doubt, remark }
}
