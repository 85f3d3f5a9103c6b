import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, sentence } from '../../api/client'
import type { Frame, HandFound } from '../../api/types'
import { useNotices } from '../../state/notices'
import { useShoot } from '../../state/shoot'
import { useView, type Mode } from '../../state/view'

type Place = { x: number; y: number }
interface Pair {
  frame: Place | null
  reference: Place | null
}

/** Placing a frame by hand: pairs of places set on the frame and on the reference frame. */
export const usePairs = defineStore('pairs', () => {
  const shoot = useShoot()
  const view = useView()
  const notices = useNotices()
  const frame = ref<Frame | null>(null)
  const pairs = ref<Pair[]>([])
  const found = ref<HandFound | null>(null)
  let before: { mode: Mode; a: string | null; b: string | null } | null = null

  const whole = computed(() =>
    pairs.value.flatMap((p): [number, number, number, number][] =>
      p.frame && p.reference ? [[p.frame.x, p.frame.y, p.reference.x, p.reference.y]] : [],
    ),
  )

  function begin(one: Frame) {
    before = { mode: view.mode, a: shoot.a, b: shoot.b }
    frame.value = one
    const kept = shoot.shoot?.plan.align.by_hand.find((h) => h.blake3 === one.blake3)
    pairs.value = (kept?.pairs ?? []).map(([x, y, X, Y]) => ({
      frame: { x, y },
      reference: { x: X, y: Y },
    }))
    view.mode = 'beside'
    shoot.a = `frame-${one.id}`
    shoot.b = shoot.reference ? `frame-${shoot.reference.id}` : null
  }

  function end() {
    if (before) {
      view.mode = before.mode
      shoot.a = before.a
      shoot.b = before.b
    }
    before = frame.value = null
    pairs.value = []
  }

  /** Sets the missing half of the last pair, or begins another; beside the picture there is nothing to set. */
  function set(side: 'a' | 'b', x: number, y: number) {
    const facts = (side === 'a' ? frame.value : shoot.reference)?.facts
    if (facts && !(x >= 0 && y >= 0 && x < facts.width && y < facts.height)) return
    const key = side === 'a' ? 'frame' : 'reference'
    const last = pairs.value.at(-1)
    const open = last && !(last.frame && last.reference)
    if (open) pairs.value = [...pairs.value.slice(0, -1), { ...last, [key]: { x, y } }]
    else pairs.value = [...pairs.value, { frame: null, reference: null, [key]: { x, y } }]
  }

  function remove(index: number) {
    pairs.value = pairs.value.filter((_, i) => i !== index)
  }

  /** Keeps the pairs in the plan; without any the frame is matched by itself again. */
  async function keep() {
    const own = frame.value
    if (!own) return
    const set = whole.value
    await shoot.setPlan((plan) => {
      const others = plan.align.by_hand.filter((h) => h.blake3 !== own.blake3)
      plan.align.by_hand = set.length ? [...others, { blake3: own.blake3, pairs: set }] : others
    }, 'a frame placed by hand')
    end()
  }

  watch(whole, async (now) => {
    if (!now.length) {
      found.value = null
      return
    }
    try {
      const answer = await api.tryByHand(now)
      // Only the newest answer counts.
      if (now === whole.value) found.value = answer
    } catch (error) {
      notices.show(sentence(error), { problem: true })
    }
  })

  return { frame, pairs, found, whole, begin, end, set, remove, keep }
})
