// Strokes on their way from the hand into the plan.
import { computed, ref, toRaw, type Ref } from 'vue'
import type { Plan } from '../../api/types'
import { useShoot } from '../../state/shoot'
import { slim, type Point } from './strokes'

/** A stroke as it is shown until the picture has it. */
export interface Shown {
  points: Point[]
  colour: string
  opacity: number
}

/** What the paint layer needs of whatever is painted. */
export interface Hand {
  active: boolean
  radius: number
  shown: Shown[]
  painting: boolean
  begin: (point: Point) => void
  move: (point: Point) => void
  end: () => void
  /** Where the pointer is, in pixels of the reference frame. */
  hover?: (at: { x: number; y: number } | null) => void
}

/** Takes strokes into a list of the plan, each of which can be taken back by itself. */
export function useStrokes<S extends { points: Point[] }>(
  list: (plan: Plan) => S[],
  name: (stroke: S) => string,
  colour: (stroke: S) => [string, number],
  also: (plan: Plan) => void = () => {},
) {
  const store = useShoot()
  /** The stroke under the hand, and those that are on their way to the picture. */
  const live = ref(null) as Ref<S | null>
  const pending = ref([]) as Ref<S[]>
  const shown = computed<Shown[]>(() =>
    [...pending.value, ...(live.value ? [live.value] : [])].map((stroke) => {
      const [own, opacity] = colour(stroke)
      return { points: stroke.points, colour: own, opacity }
    }),
  )
  const painting = computed(() => live.value !== null)

  function begin(stroke: S) {
    live.value = stroke
  }

  function move(point: Point) {
    if (live.value) live.value = { ...live.value, points: [...live.value.points, point] }
  }

  /** Takes the stroke into the plan. */
  async function end() {
    const stroke = live.value
    live.value = null
    if (!stroke) return
    const own = { ...stroke, points: slim(stroke.points) }
    pending.value = [...pending.value, own]
    const done = await store.setPlan((plan) => {
      list(plan).push(own)
      also(plan)
    }, name(own))
    if (!done) pending.value = pending.value.filter((one) => toRaw(one) !== own)
  }

  return { live, pending, shown, painting, begin, move, end }
}
