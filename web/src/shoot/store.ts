import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, sentence } from '../api/client'
import { listen } from '../api/events'
import type {
  Frame,
  FrameSet,
  Job,
  Kind,
  Plan,
  Role,
  Shoot,
  ShootChange,
  ShootResult,
  Sort,
} from '../api/types'
import { groupFrames } from '../frames/groups'
import { rulesOf } from '../kinds/kinds'
import { useNotices } from '../parts/notices'
import { prepareOf } from '../prepare/differences'
import { difference } from './patch'

export type Step = 'frames' | 'prepare' | 'align' | 'skyline' | 'combine' | 'finish' | 'export'

/** The shoot on the workbench. */
export const useShoot = defineStore('shoot', () => {
  const notices = useNotices()
  const shoot = ref<Shoot | null>(null)
  const missing = ref('')
  const step = ref<Step>('frames')
  const selected = ref<number | null>(null)
  /** Sources of the two sides of the view. */
  const a = ref<string | null>(null)
  const b = ref<string | null>(null)
  let stop = () => {}
  /** The number of the shoot that was opened last: answers about another one come too late. */
  let wanted: number | null = null
  /** Changes of the plan reach the server in the order in which they were made. */
  let turn: Promise<unknown> = Promise.resolve()
  /** Changes of the plan that the server has not answered: until it has, no other answer undoes them. */
  let underway = 0
  /** The question for a shoot that is under way, and whether something changed since it was asked. */
  let loading: { id: number; done: Promise<void> } | null = null
  let stale = false

  const lights = computed(() => frames((f) => f.role === 'light' && !f.problem))
  const groups = computed(() => (shoot.value ? groupFrames(shoot.value) : []))
  /** The lights that are stacked, left out or not. */
  const stack = computed(() => groups.value.filter((g) => g.stacked).flatMap((g) => g.frames))
  /** Frames that are chosen, to do something with all of them. */
  const chosen = ref<number[]>([])
  /** Frames that the lights are calibrated with. */
  const calibration = computed(() => frames((f) => f.role !== 'light' && !f.problem))
  /** The plan as the server has it. */
  const sent = ref<Plan | null>(null)
  /** The same, but while a setting is dragged as it was before: for what is dear to show. */
  const settled = ref<Plan | null>(null)
  const unreadable = computed(() => frames((f) => f.problem !== null))
  const used = computed(() => stack.value.filter((f) => !f.left_out))
  const results = computed(() => shoot.value?.results ?? [])
  const latest = computed<ShootResult | undefined>(() => results.value[0])
  /** The last run. */
  const job = computed<Job | undefined>(() => shoot.value?.jobs.find((j) => j.task === 'run'))
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

  async function open(id: number) {
    close()
    wanted = id
    // Before it is asked for, so that nothing falls between.
    stop = listen((event) => {
      if (event.type === 'shoot' && event.id === id) void load(id)
      if (event.type === 'job' && event.job.shoot_id === id) takeJob(event.job)
      // After a lost connection the present state tells what was missed.
      if (event.type === 'present') void load(id)
    })
    await load(id)
    if (wanted !== id) return
    if (!shoot.value) return stop()
    step.value = latest.value || used.value.length > 1 ? 'combine' : 'frames'
    showLatest()
  }

  function close() {
    stop()
    stop = () => {}
    wanted = null
    shoot.value = null
    missing.value = ''
    selected.value = a.value = b.value = null
    chosen.value = []
  }

  /** Asks for the shoot as it is now; while that is under way already, once more after it. */
  async function load(id: number) {
    stale = true
    while (loading?.id === id) await loading.done
    // Who waited as well has asked for it since.
    if (!stale || wanted !== id) return
    stale = false
    const own = { id, done: ask(id) }
    loading = own
    await own.done
    if (loading === own) loading = null
  }

  async function ask(id: number) {
    const before = latest.value?.id
    try {
      const found = await api.shoot(id)
      if (wanted !== id) return
      if (shoot.value) take(found)
      else {
        sent.value = settled.value = found.plan
        shoot.value = found
      }
    } catch (error) {
      if (wanted !== id) return
      // What is on show stays while the server cannot be reached.
      if (shoot.value) notices.show(sentence(error), { problem: true })
      else missing.value = sentence(error)
      return
    }
    if (latest.value && before !== latest.value.id) showLatest()
    if (!a.value && reference.value) a.value = `frame-${reference.value.id}`
  }

  /**
   * Takes an answer with the shoot as it is now, unless it comes after an answer that tells more. Says
   * no where it comes after another shoot was opened.
   */
  function take(found: Shoot): boolean {
    if (shoot.value?.id !== found.id) return false
    if (found.revision < shoot.value.revision) return true
    if (underway) found.plan = shoot.value.plan
    else sent.value = settled.value = found.plan
    shoot.value = found
    return true
  }

  function takeJob(job: Job) {
    if (!shoot.value) return
    const others = shoot.value.jobs.filter((j) => j.id !== job.id)
    shoot.value.jobs = [job, ...others].sort((p, q) => q.id - p.id)
  }

  /** One frame against the newest result, or the reference frame alone. */
  function showLatest() {
    if (latest.value) {
      a.value = `frame-${latest.value.reference_id}`
      b.value = `result-${latest.value.id}`
    } else if (reference.value) {
      a.value = `frame-${reference.value.id}`
    }
  }

  /** The treatment of a frame, written out; while a setting is dragged, as it was before if wanted. */
  function treatment(frame: number, before = false): string {
    const one = shoot.value?.frames.find((f) => f.id === frame)
    const plan = before ? settled.value : sent.value
    return one && plan ? JSON.stringify(prepareOf(plan, one.blake3)) : ''
  }

  /**
   * Changes settings of the shoot; the server merges the change with those of other pages, and refuses
   * it where one setting was changed on both.
   */
  function amend(id: number, change: Omit<ShootChange, 'was'>, was: ShootChange['was']) {
    const seen = shoot.value?.id === id ? shoot.value.revision : undefined
    return api.changeShoot(id, { ...change, was }, seen)
  }

  /** Carries out a change and tells why not, if not. */
  async function attempt<T>(work: () => Promise<T>): Promise<T | undefined> {
    try {
      return await work()
    } catch (error) {
      notices.show(sentence(error), { problem: true })
      return undefined
    }
  }

  async function leaveOut(ids: number[], out: boolean) {
    const { id } = shoot.value!
    const changed = ids.filter((i) => shoot.value?.frames.find((f) => f.id === i)?.left_out !== out)
    if (!changed.length) return
    const done = await attempt(() => api.changeFrames(id, { ids: changed, left_out: out }))
    if (done) take(done)
  }

  /** What a folder gets from now on is not added any longer. */
  async function unwatch() {
    const { id } = shoot.value!
    const done = await attempt(() => api.unwatch(id))
    if (done) take(done)
  }

  /** Nothing more is said against a frame that the person wants. */
  async function keep(frame: number) {
    const { id } = shoot.value!
    const done = await attempt(() => api.changeFrames(id, { ids: [frame], kept: true }))
    if (done) take(done)
  }

  /** Changes which set or role frames have. */
  async function move(work: (id: number) => Promise<Shoot>) {
    const { id } = shoot.value!
    const done = await attempt(() => work(id))
    if (done && take(done)) chosen.value = []
  }

  /** Says what frames are for; they leave their set. */
  function setRole(ids: number[], role: Role) {
    return move((id) => api.changeFrames(id, { ids, role }))
  }

  function moveTo(ids: number[], set: FrameSet) {
    return move((id) => api.changeFrames(id, { ids, set_id: set.id }))
  }

  /** Puts frames into sets, new ones among them. */
  function sort(sets: Sort[]) {
    return move((id) => api.sortFrames(id, { sets }))
  }

  function nameSet(set: FrameSet, name: string) {
    return move((id) => api.nameSet(id, set.id, { name }))
  }

  async function stackSet(set: FrameSet) {
    const { id, stacked_set } = shoot.value!
    const done = await attempt(() => amend(id, { stacked_set: set.id }, { stacked_set }))
    if (done) take(done)
  }

  async function setKind(kind: Kind) {
    const { id } = shoot.value!
    const done = await attempt(() => api.changeShoot(id, { kind }))
    if (done) take(done)
  }

  async function setReference(frame: number) {
    const { id, reference_id } = shoot.value!
    const done = await attempt(() => amend(id, { reference_id: frame }, { reference_id }))
    if (done) take(done)
  }

  /**
   * Changes the plan. `title` says what, in words that go on from "Undo". Changes of one gesture, such
   * as dragging a slider, are undone together.
   */
  async function setPlan(
    change: (plan: Plan) => void,
    title = 'a setting',
    gesture?: string,
  ): Promise<boolean> {
    const { id, plan: before } = shoot.value!
    const plan = copy(before)
    change(plan)
    const patch = difference(before, plan)
    if (!patch) {
      // What was changed last may be on its way still.
      await turn
      return shoot.value?.id === id
    }
    shoot.value!.plan = plan
    underway++
    const work = () => amend(id, { plan: patch.to, title, gesture }, { plan: patch.was })
    const done = await inTurn(() => attempt(work))
    underway--
    if (shoot.value?.id !== id) return false
    if (done) {
      sent.value = done.plan
      shoot.value.revision = done.revision
      shoot.value.history = done.history
      // With what other pages changed; what was changed here since is on its way.
      if (!underway && difference(shoot.value.plan, done.plan)) shoot.value.plan = done.plan
    } else if (!underway) {
      if (sent.value) shoot.value.plan = sent.value
      await load(id)
    }
    if (!gesture) settled.value = sent.value
    return done !== undefined
  }

  /** What is dear to show follows a gesture once it has ended. */
  function settle() {
    return inTurn(async () => {
      settled.value = sent.value
    })
  }

  function copy(plan: Plan) {
    return JSON.parse(JSON.stringify(plan)) as Plan
  }

  function inTurn<T>(work: () => Promise<T>): Promise<T> {
    const done = turn.then(work)
    turn = done.catch(() => undefined)
    return done
  }

  /** Gives all frames the white balance that the reference frame was taken with. */
  async function balanceAlike() {
    const one = reference.value
    const colour = one && (await attempt(() => api.colour(one.id)))
    if (!colour) return
    const { light } = colour
    if (!light) {
      const problem = `${one.name} does not tell its light; pick a grey in the step Prepare.`
      notices.show(problem, { problem: true })
      return
    }
    const [kelvin, tint] = [Math.round(light.kelvin / 50) * 50, Math.round(light.tint)]
    await setPlan((plan) => (plan.prepare.white_balance = { by: 'light', kelvin, tint }))
    notices.show(`All frames are balanced as ${one.name}: ${kelvin} K.`)
  }

  function undo() {
    return go('undo', 'Undone')
  }

  function redo() {
    return go('redo', 'Done again')
  }

  /** Goes back or forth in the history, after the changes that are on their way. */
  function go(way: 'undo' | 'redo', done: string) {
    return inTurn(async () => {
      const title = history.value[way]
      if (!shoot.value || !title) return
      const { id } = shoot.value
      try {
        take(await api[way](id))
        settled.value = sent.value
        notices.show(`${done}: ${title}.`)
      } catch (error) {
        notices.show(`Not ${done.toLowerCase()}: ${title}. ${sentence(error)}`, { problem: true })
        await load(id)
      }
    })
  }

  function run() {
    const { id } = shoot.value!
    // With the settings that were changed just before.
    return inTurn(async () => {
      if (running.value) return
      const job = await attempt(() => api.run(id))
      if (job) takeJob(job)
    })
  }

  async function cancel() {
    const id = job.value?.id
    if (id) await attempt(() => api.cancel(id))
  }

  async function resume() {
    const id = job.value?.id
    const done = id ? await attempt(() => api.resume(id)) : undefined
    if (done) takeJob(done)
  }

  return {
    shoot,
    missing,
    step,
    selected,
    a,
    b,
    history,
    sent,
    lights,
    groups,
    stack,
    chosen,
    calibration,
    treatment,
    unreadable,
    used,
    results,
    latest,
    shown,
    job,
    running,
    reference,
    rules,
    planChanged,
    open,
    close,
    load,
    take,
    takeJob,
    attempt,
    leaveOut,
    unwatch,
    keep,
    setRole,
    moveTo,
    sort,
    nameSet,
    stackSet,
    setKind,
    setReference,
    setPlan,
    settle,
    balanceAlike,
    undo,
    redo,
    run,
    cancel,
    resume,
  }
})
