// What is known of the shoot on the workbench, and what follows from it.
import { computed, ref, shallowRef } from 'vue'
import { isUnderWay } from '../api/jobs'
import { rulesOf } from '../api/kinds'
import type { Frame, Job, Plan, Shoot, ShootResult, Step } from '../api/types'
import { prepareOf } from '../domain/differences'
import { groupFrames } from '../domain/groups'
import { merged } from '../domain/patch'
import type { Loading } from './loading'
import type { Queue } from './queue'

export function useFacts({ known }: Loading, queue: Queue) {
  /** The shoot as the server has it, with the changes that are on their way. */
  const shoot = computed<Shoot | null>(() => {
    const found = known.value
    const changes = queue.underway.value.filter((one) => one.shoot === found?.id)
    if (!found || !changes.length) return found
    return { ...found, plan: changes.reduce((plan, { to }) => merged(plan, to), found.plan) }
  })
  const step = ref<Step>('frames')
  /** The number of the shoot that is open, once its step and sides are chosen. */
  const opened = ref<number | null>(null)
  const selected = ref<number | null>(null)
  /** Sources of the two sides of the view. */
  const a = ref<string | null>(null)
  const b = ref<string | null>(null)
  const lights = computed(() => frames((f) => f.role === 'light' && !f.problem))
  const groups = computed(() => (shoot.value ? groupFrames(shoot.value) : []))
  /** The lights that are stacked, left out or not. */
  const stack = computed(() => groups.value.filter((g) => g.stacked).flatMap((g) => g.frames))
  /** Frames that are chosen, to do something with all of them. */
  const chosen = ref<number[]>([])
  /** Frames that the lights are calibrated with. */
  const calibration = computed(() => frames((f) => f.role !== 'light' && !f.problem))
  /** The plan as the server has it. */
  const sent = computed(() => known.value?.plan ?? null)
  /** The plan as it was before the setting that is being dragged. */
  const held = shallowRef<Plan | null>(null)
  /** What the server has, but while a setting is dragged as it was before: for what is dear to show. */
  const settled = computed(() => held.value ?? sent.value)
  const unreadable = computed(() => frames((f) => f.problem !== null))
  const used = computed(() => stack.value.filter((f) => !f.left_out))
  const results = computed(() => shoot.value?.results ?? [])
  const latest = computed<ShootResult | undefined>(() => results.value[0])
  /** The last run. */
  const job = computed<Job | undefined>(() => shoot.value?.jobs.find((j) => j.task === 'run'))
  /** The job that does something else than a run, if one is under way; without a number until it is known. */
  function jobOf(task: Job['task']): Pick<Job, 'stage' | 'done' | 'total'> & { id?: number } {
    const found = shoot.value?.jobs.find((j) => j.task === task && isUnderWay(j))
    return found ?? { stage: null, done: 0, total: 0 }
  }

  /** What would be undone and made again next. */
  const history = computed(() => shoot.value?.history ?? { undo: null, redo: null })
  const running = computed(() => job.value?.state === 'running' || job.value?.state === 'queued')
  /** The result on side B, or the latest one. */
  const shown = computed(
    () => results.value.find((r) => b.value === `result-${r.id}`) ?? latest.value,
  )
  const reference = computed<Frame | undefined>(() => {
    const of = (id?: number | null) => used.value.find((f) => f.id === id)
    const proposed = shoot.value?.proposed_reference?.frame_id
    const middle = used.value[Math.floor(used.value.length / 2)]
    // Where a run chooses, that is the middle one in the order of focus.
    if (!rules.value.chooses_reference) return of(latest.value?.reference_id) ?? middle
    return of(shoot.value?.reference_id) ?? of(proposed) ?? middle
  })
  /** What follows from the shoot's kind. */
  const rules = computed(() => rulesOf(shoot.value?.plan.kind ?? 'night-sky'))
  const planChanged = computed(
    () => latest.value && JSON.stringify(latest.value.plan) !== JSON.stringify(shoot.value?.plan),
  )

  function frames(keep: (frame: Frame) => boolean) {
    return shoot.value?.frames.filter(keep) ?? []
  }

  /** The treatment of a frame, written out; while a setting is dragged, as it was before if wanted. */
  function treatment(frame: number, before = false): string {
    const one = shoot.value?.frames.find((f) => f.id === frame)
    const plan = before ? settled.value : sent.value
    return one && plan ? JSON.stringify(prepareOf(plan, one.blake3)) : ''
  }

  return {
    shoot,
    opened,
    step,
    selected,
    a,
    b,
    chosen,
    sent,
    held,
    settled,
    lights,
    groups,
    stack,
    calibration,
    unreadable,
    used,
    results,
    latest,
    shown,
    job,
    jobOf,
    history,
    running,
    reference,
    rules,
    planChanged,
    treatment,
  }
}

export type Facts = ReturnType<typeof useFacts>
