import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import { api, sentence } from '../api/client'
import { listen } from '../api/events'
import type { Frame, FrameSet, Job, Kind, Plan, Role, Shoot, ShootResult, Sort } from '../api/types'
import { groupFrames } from '../frames/groups'
import { useNotices } from '../parts/notices'
import { prepareOf } from '../prepare/differences'

export type Step = 'frames' | 'prepare' | 'align' | 'skyline' | 'combine' | 'finish' | 'export'

/** How a change is taken back, and where that is possible, made again. */
interface Change {
  text: string
  back: () => Promise<unknown>
  forth?: () => Promise<unknown>
}

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
  const undos = ref<Change[]>([])
  const redos = ref<Change[]>([])
  let stop = () => {}
  /** Changes of the plan reach the server in the order in which they were made. */
  let turn: Promise<unknown> = Promise.resolve()
  /** Counts changes of the plan, and those the server has not answered, so that an answer from
   * before one does not undo it. */
  let changes = 0
  let underway = 0

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
  const job = computed<Job | undefined>(() => shoot.value?.jobs[0])
  const running = computed(() => job.value?.state === 'running' || job.value?.state === 'queued')
  /** The result on side B, or the latest one. */
  const shown = computed(
    () => results.value.find((r) => b.value === `result-${r.id}`) ?? latest.value,
  )
  const reference = computed<Frame | undefined>(() => {
    const of = (id?: number | null) => used.value.find((f) => f.id === id)
    const proposed = shoot.value?.proposed_reference?.frame_id
    const middle = used.value[Math.floor(used.value.length / 2)]
    // That of a sweep is the middle one in the order of focus, which a run finds.
    if (isSweep.value) return of(latest.value?.reference_id) ?? middle
    return of(shoot.value?.reference_id) ?? of(proposed) ?? middle
  })
  /** Whether frames are merged by what is sharp in them, in place of being combined. */
  const isSweep = computed(() => shoot.value?.plan.kind === 'focus-sweep')
  const planChanged = computed(
    () => latest.value && JSON.stringify(latest.value.plan) !== JSON.stringify(shoot.value?.plan),
  )

  function frames(keep: (frame: Frame) => boolean) {
    return shoot.value?.frames.filter(keep) ?? []
  }

  async function open(id: number) {
    close()
    // Before it is asked for, so that nothing falls between.
    stop = listen((event) => {
      if (event.type === 'shoot' && event.id === id) void load(id)
      if (event.type === 'job' && event.job.shoot_id === id) takeJob(event.job)
      // After a lost connection the present state tells what was missed.
      if (event.type === 'present') void load(id)
    })
    await load(id)
    if (!shoot.value) return stop()
    step.value = latest.value || used.value.length > 1 ? 'combine' : 'frames'
    showLatest()
  }

  function close() {
    stop()
    stop = () => {}
    shoot.value = null
    missing.value = ''
    selected.value = a.value = b.value = null
    chosen.value = []
    undos.value = []
    redos.value = []
  }

  async function load(id: number) {
    const before = latest.value?.id
    const asked = changes
    try {
      const found = await api.shoot(id)
      if ((changes !== asked || underway) && shoot.value) found.plan = shoot.value.plan
      else sent.value = settled.value = found.plan
      shoot.value = found
    } catch (error) {
      missing.value = sentence(error)
      return
    }
    if (latest.value && before !== latest.value.id) showLatest()
    if (!a.value && reference.value) a.value = `frame-${reference.value.id}`
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
    if (!done) return
    shoot.value = done
    const count = changed.length === 1 ? 'one frame' : `${changed.length} frames`
    remember(`${out ? 'leaving out' : 'taking in'} ${count}`, () =>
      api.changeFrames(id, { ids: changed, left_out: !out }),
    )
  }

  /** What a folder gets from now on is not added any longer. */
  async function unwatch() {
    const { id, watched } = shoot.value!
    if (!watched) return
    const done = await attempt(() => api.unwatch(id).then(() => true))
    if (!done) return
    await load(id)
    remember('watching no longer', () => api.addFolder(id, watched.path, watched.role, true))
  }

  /** Nothing more is said against a frame that the person wants. */
  async function keep(frame: number) {
    const { id } = shoot.value!
    const done = await attempt(() => api.changeFrames(id, { ids: [frame], kept: true }))
    if (!done) return
    shoot.value = done
    remember('keeping a frame', () => api.changeFrames(id, { ids: [frame], kept: false }))
  }

  /** Changes which set or role frames have; undoing it gives each its own back. */
  async function move(ids: number[], text: string, work: (id: number) => Promise<Shoot>) {
    const { id, frames } = shoot.value!
    const before = frames.filter((f) => ids.includes(f.id))
    const stacked = shoot.value!.stacked_set
    const done = await attempt(() => work(id))
    if (!done) return
    shoot.value = done
    chosen.value = []
    remember(text, async () => {
      const place = (f: Frame) => `${f.set_id}/${f.role}`
      for (const one of new Set(before.map(place))) {
        const own = before.filter((f) => place(f) === one)
        const { set_id, role } = own[0]!
        const where = set_id === null ? { role } : { set_id }
        await api.changeFrames(id, { ids: own.map((f) => f.id), ...where })
      }
      await api.changeShoot(id, { stacked_set: stacked ?? 0 })
    })
  }

  /** Says what frames are for; they leave their set. */
  function setRole(ids: number[], role: Role) {
    return move(ids, 'sorting frames', (id) => api.changeFrames(id, { ids, role }))
  }

  function moveTo(ids: number[], set: FrameSet) {
    return move(ids, `moving frames to ${set.name}`, (id) =>
      api.changeFrames(id, { ids, set_id: set.id }),
    )
  }

  /** Puts frames into sets, new ones among them. */
  function sort(sets: Sort[]) {
    const ids = sets.flatMap((set) => set.frame_ids)
    return move(ids, 'sorting frames', (id) => api.sortFrames(id, { sets }))
  }

  async function nameSet(set: FrameSet, name: string) {
    const { id } = shoot.value!
    const done = await attempt(() => api.nameSet(id, set.id, { name }))
    if (!done) return
    shoot.value = done
    remember('naming a set', () => api.nameSet(id, set.id, { name: set.name }))
  }

  async function stackSet(set: FrameSet) {
    const { id, stacked_set } = shoot.value!
    const done = await attempt(() => api.changeShoot(id, { stacked_set: set.id }))
    if (!done) return
    shoot.value = done
    remember('what is stacked', () => api.changeShoot(id, { stacked_set: stacked_set ?? 0 }))
  }

  async function setKind(kind: Kind) {
    const { id, kind: before, plan } = shoot.value!
    const done = await attempt(() => api.changeShoot(id, { kind }))
    if (!done) return
    shoot.value = done
    remember('the kind of shoot', () => api.changeShoot(id, { kind: before, plan }))
  }

  async function setReference(frame: number) {
    const { id, reference_id } = shoot.value!
    const done = await attempt(() => api.changeShoot(id, { reference_id: frame }))
    if (!done) return
    shoot.value = done
    remember('the reference frame', () => api.changeShoot(id, { reference_id: reference_id ?? 0 }))
  }

  /** Changes the plan so that it is seen, and nothing is remembered. */
  async function tryPlan(change: (plan: Plan) => void): Promise<boolean> {
    const { id, plan: before } = shoot.value!
    const plan = JSON.parse(JSON.stringify(before)) as Plan
    change(plan)
    shoot.value!.plan = plan
    changes++
    underway++
    const done = await inTurn(() => attempt(() => api.changeShoot(id, { plan })))
    underway--
    if (!done) shoot.value!.plan = before
    else sent.value = done.plan
    changes++
    return done !== undefined
  }

  function inTurn<T>(work: () => Promise<T>): Promise<T> {
    const done = turn.then(work)
    turn = done.catch(() => undefined)
    return done
  }

  /**
   * Changes the plan by something that can be taken off again whatever else was changed since, also
   * from another page.
   */
  async function amendPlan(
    change: (plan: Plan) => void,
    back: (plan: Plan) => void,
    text: string,
  ): Promise<boolean> {
    const { id } = shoot.value!
    if (!(await tryPlan(change))) return false
    settled.value = sent.value
    const amend = (by: (plan: Plan) => void) => async () => {
      const { plan } = await api.shoot(id)
      by(plan)
      return api.changeShoot(id, { plan })
    }
    remember(text, amend(back), amend(change))
    return true
  }

  /** Changes the plan; undoing it gives back `before`. */
  async function setPlan(
    change: (plan: Plan) => void,
    before = shoot.value!.plan,
    text = 'a setting',
  ) {
    const { id } = shoot.value!
    if (!(await tryPlan(change))) return
    settled.value = sent.value
    const after = sent.value!
    remember(
      text,
      () => api.changeShoot(id, { plan: before }),
      () => api.changeShoot(id, { plan: after }),
    )
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

  function remember(text: string, back: Change['back'], forth?: Change['forth']) {
    undos.value = [...undos.value, { text, back, forth }]
    redos.value = []
  }

  async function undo() {
    const last = undos.value.at(-1)
    if (!last || !shoot.value) return
    undos.value = undos.value.slice(0, -1)
    await attempt(last.back)
    await load(shoot.value.id)
    redos.value = last.forth ? [...redos.value, last] : []
    notices.show(`Undone: ${last.text}.`)
  }

  async function redo() {
    const last = redos.value.at(-1)
    if (!last?.forth || !shoot.value) return
    redos.value = redos.value.slice(0, -1)
    await attempt(last.forth)
    await load(shoot.value.id)
    undos.value = [...undos.value, last]
    notices.show(`Done again: ${last.text}.`)
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
    undos,
    redos,
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
    isSweep,
    planChanged,
    open,
    close,
    load,
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
    amendPlan,
    balanceAlike,
    tryPlan,
    undo,
    redo,
    run,
    cancel,
    resume,
  }
})
