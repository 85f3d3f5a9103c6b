import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { api, Refusal } from '../api/client'
import { listen } from '../api/events'
import type { Event, Plan } from '../api/types'
import { useNotices } from './notices'
import { frame, job, plan, result, shoot } from '../domain/example'
import { merged } from '../domain/patch'
import { useShoot } from './shoot'

vi.mock('../api/client', async (original) => ({
  ...(await original<typeof import('../api/client')>()),
  api: {
    shoot: vi.fn(),
    changeShoot: vi.fn(),
    changeFrames: vi.fn(),
    sortFrames: vi.fn(),
    unwatch: vi.fn(),
    addFolder: vi.fn(),
    colour: vi.fn(),
    nameSet: vi.fn(),
    run: vi.fn(),
    cancel: vi.fn(),
    resume: vi.fn(),
    undo: vi.fn(),
    redo: vi.fn(),
  },
}))
vi.mock('../api/events', () => ({ listen: vi.fn(() => () => {}) }))

const server = vi.mocked(api)

beforeEach(() => {
  setActivePinia(createPinia())
  vi.clearAllMocks()
  vi.mocked(listen).mockReturnValue(() => {})
})

describe('the shoot on the workbench', () => {
  it('begins with the frames while there are none to combine', async () => {
    server.shoot.mockResolvedValue(shoot({ frames: [frame(1)] }))
    const store = useShoot()
    await store.open(1)
    expect(store.step).toBe('frames')
    expect(store.a).toBe('frame-1')
    expect(store.b).toBeNull()
  })

  it('shows the reference frame beside the newest result', async () => {
    server.shoot.mockResolvedValue(shoot({ results: [result(9, 4), result(8, 3)] }))
    const store = useShoot()
    await store.open(1)
    expect([store.step, store.a, store.b]).toEqual(['combine', 'frame-4', 'result-9'])
    expect(store.shown?.id).toBe(9)
    store.b = 'result-8'
    expect(store.shown?.id).toBe(8)
  })

  it('has the reference frame of a sweep from its run, whatever was chosen', async () => {
    const sweep = { ...plan, kind: 'focus-sweep' } as Plan
    server.shoot.mockResolvedValue(shoot({ plan: sweep, reference_id: 2 }))
    const store = useShoot()
    await store.open(1)
    expect(store.reference?.id).toBe(3)
    server.shoot.mockResolvedValue(shoot({ plan: sweep, results: [result(9, 4, sweep)] }))
    await store.load(1)
    expect(store.reference?.id).toBe(4)
  })

  it('keeps a frame that something speaks against', async () => {
    const doubts = [{ frame_id: 2, reason: 'It shows 40 stars where its neighbours show 90.' }]
    server.shoot.mockResolvedValue(shoot({ doubts }))
    server.changeFrames.mockResolvedValue(shoot())
    const store = useShoot()
    await store.open(1)
    await store.keep(2)
    expect(server.changeFrames).toHaveBeenLastCalledWith(1, { ids: [2], kept: true })
    expect(store.shoot?.doubts).toEqual([])
  })

  it('balances all frames as the reference frame was taken', async () => {
    const before = plan
    server.shoot.mockResolvedValue(shoot({ plan: before, reference_id: 2 }))
    server.changeShoot.mockResolvedValue(shoot())
    const store = useShoot()
    await store.open(1)
    server.colour.mockResolvedValueOnce({ raw: true, light: { kelvin: 5218, tint: -3.4 } })
    await store.balanceAlike()
    expect(server.colour).toHaveBeenCalledWith(2)
    const balance = { by: 'light', kelvin: 5200, tint: -3 }
    const own = { prepare: { white_balance: balance } }
    const was = { prepare: { white_balance: before.prepare.white_balance } }
    const change = { plan: own, title: 'a setting', was: { plan: was } }
    expect(server.changeShoot).toHaveBeenLastCalledWith(1, change, 1)
    server.colour.mockResolvedValueOnce({ raw: false, light: null })
    await store.balanceAlike()
    expect(useNotices().notices.at(-1)?.text).toContain('does not tell its light')
  })

  it('watches a folder no longer', async () => {
    const watched = { path: '/card/tonight', role: 'light', there: true } as const
    server.shoot.mockResolvedValueOnce(shoot({ watched }))
    server.unwatch.mockResolvedValue(shoot())
    const store = useShoot()
    await store.open(1)
    await store.unwatch()
    expect(server.unwatch).toHaveBeenCalledWith(1)
    expect(store.shoot?.watched).toBeNull()
  })

  it('tells frames apart by what they are for and whether they can be read', async () => {
    const frames = [
      frame(1),
      frame(2, { left_out: true }),
      frame(3, { role: 'dark' }),
      frame(4, { problem: 'f4.tif: cut short.' }),
      frame(5),
    ]
    server.shoot.mockResolvedValue(shoot({ frames }))
    const store = useShoot()
    await store.open(1)
    const ids = (of: { id: number }[]) => of.map((f) => f.id)
    expect(ids(store.lights)).toEqual([1, 2, 5])
    expect(ids(store.used)).toEqual([1, 5])
    expect(ids(store.calibration)).toEqual([3])
    expect(ids(store.unreadable)).toEqual([4])
  })

  it('says what frames are for', async () => {
    server.shoot.mockResolvedValue(shoot())
    server.changeFrames.mockResolvedValue(shoot())
    const store = useShoot()
    await store.open(1)
    await store.setRole([1, 2], 'flat')
    expect(server.changeFrames).toHaveBeenLastCalledWith(1, { ids: [1, 2], role: 'flat' })
  })

  it('shows a setting while it is dragged, and what is dear once it is let go', async () => {
    server.shoot.mockResolvedValue(shoot())
    let now = plan
    server.changeShoot.mockImplementation(async (_, change) => {
      now = merged(now, change.plan!)
      return shoot({ plan: now })
    })
    const store = useShoot()
    await store.open(1)
    const drag = (gain: number) =>
      store.setPlan((plan) => (plan.prepare.gain_ev = gain), 'exposure', 'drag 1')
    for (const gain of [0.1, 0.2]) await drag(gain)
    expect(JSON.parse(store.treatment(1)).gain_ev).toBe(0.2)
    expect(JSON.parse(store.treatment(1, true)).gain_ev).toBe(0)
    void drag(0.3)
    await store.settle()
    expect(JSON.parse(store.treatment(1, true)).gain_ev).toBe(0.3)
    const sent = server.changeShoot.mock.calls.map(([, { title, gesture }]) => [title, gesture])
    expect(sent).toEqual(Array.from({ length: 3 }, () => ['exposure', 'drag 1']))
  })

  it('takes the middle used frame as reference unless one was chosen that is used', async () => {
    server.shoot.mockResolvedValue(shoot())
    const store = useShoot()
    await store.open(1)
    expect(store.reference?.id).toBe(3)
    store.take(shoot({ reference_id: 5 }))
    expect(store.reference?.id).toBe(5)
    const frames = shoot().frames.map((f) => ({ ...f, left_out: f.id > 3 }))
    store.take(shoot({ reference_id: 5, frames }))
    expect(store.reference?.id).toBe(2)
  })

  it('says what is wrong with a shoot that is gone', async () => {
    const stop = vi.fn()
    vi.mocked(listen).mockReturnValueOnce(stop)
    server.shoot.mockRejectedValue(new Error('This shoot is no longer there.'))
    const store = useShoot()
    await store.open(1)
    expect(store.shoot).toBeNull()
    expect(store.missing).toBe('This shoot is no longer there.')
    expect(stop).toHaveBeenCalled()
  })

  it('is not replaced by a late answer about another one', async () => {
    const store = useShoot()
    let late: (found: ReturnType<typeof shoot>) => void = () => {}
    server.shoot.mockReturnValueOnce(new Promise((done) => (late = done)))
    const first = store.open(1)
    server.shoot.mockResolvedValueOnce(shoot({ id: 2, name: 'Salt pan' }))
    await store.open(2)
    late(shoot())
    await first
    expect([store.shoot?.name, store.a]).toEqual(['Salt pan', 'frame-3'])
    // Nor by the answer to a change of it.
    let answer: (found: ReturnType<typeof shoot>) => void = () => {}
    server.changeFrames.mockReturnValueOnce(new Promise((done) => (answer = done)))
    const change = store.leaveOut([1], true)
    server.shoot.mockResolvedValueOnce(shoot({ id: 3, name: 'Moss' }))
    await store.open(3)
    answer(shoot({ id: 2, name: 'Salt pan' }))
    await change
    expect(store.shoot?.name).toBe('Moss')
  })

  it('is asked for once more, however often it changed while it was', async () => {
    server.shoot.mockResolvedValue(shoot())
    const store = useShoot()
    await store.open(1)
    server.shoot.mockClear()
    const first = store.load(1)
    await vi.waitFor(() => expect(server.shoot).toHaveBeenCalledTimes(1))
    await Promise.all([first, ...[2, 3, 4, 5].map(() => store.load(1))])
    expect(server.shoot).toHaveBeenCalledTimes(2)
    // An answer that tells less than is known is passed over.
    store.take(shoot({ revision: 7, name: 'North' }))
    server.shoot.mockResolvedValueOnce(shoot({ revision: 6 }))
    await store.load(1)
    expect(store.shoot?.name).toBe('North')
  })

  it('follows the jobs that the server tells of, newest first', async () => {
    server.shoot.mockResolvedValue(shoot({ jobs: [job(1, 'done')] }))
    const store = useShoot()
    await store.open(1)
    const tell = vi.mocked(listen).mock.calls[0]![0] as (event: Event) => void
    tell({ type: 'job', job: job(2, 'running') })
    expect([store.job?.id, store.running]).toEqual([2, true])
    tell({ type: 'job', job: { ...job(3, 'running'), shoot_id: 77 } })
    expect(store.job?.id).toBe(2)
    tell({ type: 'job', job: job(2, 'done') })
    expect([store.running, store.shoot?.jobs.length]).toEqual([false, 2])
  })
})

describe('changes', () => {
  it('are undone and made again by the server, after those that are on their way', async () => {
    const history = (undo: string | null, redo: string | null) => ({ history: { undo, redo } })
    server.shoot.mockResolvedValue(shoot())
    const store = useShoot()
    const notices = useNotices()
    await store.open(1)
    await store.undo()
    expect(server.undo).not.toHaveBeenCalled()
    let answer = () => {}
    server.changeShoot.mockImplementation(
      (_, change) =>
        new Promise((done) => {
          const plan = merged(store.shoot!.plan, change.plan!)
          answer = () => done(shoot({ plan, revision: 2, ...history('the rejection', null) }))
        }),
    )
    const set = store.setPlan((plan) => (plan.combine.clip = 4), 'the rejection')
    server.undo.mockResolvedValue(shoot({ revision: 3, ...history(null, 'the rejection') }))
    const undone = store.undo()
    await new Promise((done) => setTimeout(done))
    expect(server.undo).not.toHaveBeenCalled()
    answer()
    await Promise.all([set, undone])
    expect([store.shoot?.plan.combine.clip, store.history.redo]).toEqual([3, 'the rejection'])
    const plan4 = merged(plan, { combine: { clip: 4 } })
    server.redo.mockResolvedValue(
      shoot({ plan: plan4, revision: 4, ...history('the rejection', null) }),
    )
    await store.redo()
    expect([store.shoot?.plan.combine.clip, store.history.undo]).toEqual([4, 'the rejection'])
    expect(notices.notices.map((n) => n.text)).toEqual([
      'Undone: the rejection.',
      'Done again: the rejection.',
    ])
  })

  it('leave alone frames that are already as wished', async () => {
    server.shoot.mockResolvedValue(shoot())
    const store = useShoot()
    await store.open(1)
    await store.leaveOut([1, 2], false)
    expect(server.changeFrames).not.toHaveBeenCalled()
  })

  it('of the plan that the server refuses are taken back and the reason shown', async () => {
    server.shoot.mockResolvedValue(shoot())
    server.changeShoot.mockRejectedValue(new Error('The clip is too small.'))
    const store = useShoot()
    await store.open(1)
    await store.setPlan((p: Plan) => (p.combine.clip = 0))
    expect(store.shoot?.plan).toEqual(plan)
    const notices = useNotices().notices
    expect(notices.map((n) => [n.text, n.problem])).toEqual([['The clip is too small.', true]])
  })

  it('that clash with those of another page give way to them, and say so', async () => {
    const theirs = merged(plan, { combine: { clip: 5 } })
    server.shoot.mockResolvedValueOnce(shoot())
    const store = useShoot()
    await store.open(1)
    server.shoot.mockResolvedValue(shoot({ plan: theirs, revision: 2 }))
    const said = 'Another page changed this at the same time: plan combine clip.'
    server.changeShoot.mockRejectedValueOnce(new Refusal(said, ['plan.combine.clip']))
    await store.setPlan((plan) => (plan.combine.clip = 2))
    expect(server.changeShoot).toHaveBeenLastCalledWith(
      1,
      {
        plan: { combine: { clip: 2 } },
        title: 'a setting',
        was: { plan: { combine: { clip: 3 } } },
      },
      1,
    )
    expect(store.shoot?.plan.combine.clip).toBe(5)
    expect(useNotices().notices.map((n) => n.text)).toEqual([said])
    // One that does not clash comes back with theirs.
    const both = merged(theirs, { combine: { level: true } })
    server.changeShoot.mockResolvedValueOnce(shoot({ plan: both, revision: 3 }))
    await store.setPlan((plan) => (plan.combine.level = true))
    expect(store.shoot?.plan.combine).toMatchObject({ clip: 5, level: true })
  })

  it('that cannot be undone are not said to be, and what is there now is shown', async () => {
    const history = { undo: 'leaving out one frame', redo: null }
    server.shoot.mockResolvedValue(shoot({ history }))
    const store = useShoot()
    const notices = useNotices()
    await store.open(1)
    server.undo.mockRejectedValueOnce(new Error('The server does not answer.'))
    server.shoot.mockClear()
    await store.undo()
    expect(notices.notices.map((n) => [n.text, n.problem])).toEqual([
      ['Not undone: leaving out one frame. The server does not answer.', true],
    ])
    expect(server.shoot).toHaveBeenCalledTimes(1)
    expect(store.history).toEqual(history)
  })

  it('of the plan make the result on show one of an older plan', async () => {
    const results = [result(9, 3)]
    server.shoot.mockResolvedValue(shoot({ results }))
    server.changeShoot.mockImplementation(async (_, change) =>
      shoot({ results, plan: merged(plan, change.plan!) }),
    )
    const store = useShoot()
    await store.open(1)
    expect(store.planChanged).toBe(false)
    await store.setPlan((p: Plan) => (p.combine.method = 'median'))
    expect(store.planChanged).toBe(true)
    expect(plan.combine.method).toBe('clipped')
  })
})

describe('runs', () => {
  it('are not queued twice', async () => {
    server.shoot.mockResolvedValue(shoot())
    server.run.mockResolvedValue(job(1, 'queued'))
    const store = useShoot()
    await store.open(1)
    await store.run()
    await store.run()
    expect(server.run).toHaveBeenCalledTimes(1)
    server.cancel.mockResolvedValue(job(1, 'cancelled'))
    await store.cancel()
    expect(server.cancel).toHaveBeenCalledWith(1)
  })

  it('have the settings that were changed just before', async () => {
    server.shoot.mockResolvedValue(shoot({}))
    server.run.mockResolvedValue(job(1, 'queued'))
    const store = useShoot()
    await store.open(1)
    let answer = () => {}
    server.changeShoot.mockImplementation(
      (_, change) =>
        new Promise((done) => (answer = () => done(shoot({ plan: merged(plan, change.plan!) })))),
    )
    const set = store.setPlan((plan) => (plan.combine.method = 'median'))
    const run = store.run()
    await new Promise((done) => setTimeout(done))
    expect(server.run).not.toHaveBeenCalled()
    answer()
    await Promise.all([set, run])
    expect(server.run).toHaveBeenCalledTimes(1)
  })

  it('that were cut off go on', async () => {
    server.shoot.mockResolvedValue(shoot({ jobs: [job(1, 'interrupted')] }))
    server.resume.mockResolvedValue(job(1, 'queued'))
    const store = useShoot()
    await store.open(1)
    await store.resume()
    expect(server.resume).toHaveBeenCalledWith(1)
    expect(store.running).toBe(true)
  })

  it('does not let an answer from before a change undo it', async () => {
    server.shoot.mockResolvedValue(shoot())
    const store = useShoot()
    await store.open(1)
    let answer: (found: ReturnType<typeof shoot>) => void = () => {}
    server.shoot.mockReturnValue(new Promise((done) => (answer = done)))
    const loaded = store.load(1)
    server.changeShoot.mockImplementation((_, change) =>
      Promise.resolve(shoot({ plan: merged(plan, change.plan!), revision: 2 })),
    )
    await store.setPlan((plan) => (plan.prepare.gain_ev = 1))
    answer(shoot())
    await loaded
    expect(store.shoot?.plan.prepare.gain_ev).toBe(1)
  })

  it('does not let an answer that comes before that to a change undo it', async () => {
    server.shoot.mockImplementation(() => Promise.resolve(shoot()))
    const store = useShoot()
    await store.open(1)
    let accept: (found: ReturnType<typeof shoot>) => void = () => {}
    server.changeShoot.mockReturnValue(new Promise((done) => (accept = done)))
    const changed = store.setPlan((plan) => (plan.prepare.gain_ev = 1))
    await store.load(1)
    expect(store.shoot?.plan.prepare.gain_ev).toBe(1)
    accept(shoot({ plan: store.shoot!.plan }))
    await changed
    expect(store.shoot?.plan.prepare.gain_ev).toBe(1)
  })

  describe('with sets', () => {
    const sky = { id: 7, name: 'Sky', role: 'light' as const }
    const darks = { id: 8, name: 'Darks 8 s', role: 'dark' as const }
    const sorted = shoot({
      frames: [
        frame(1, { set_id: 7 }),
        frame(2, { set_id: 7 }),
        frame(3, { role: 'dark', set_id: 8 }),
        frame(4),
      ],
      sets: [sky, darks],
      stacked_set: 7,
      proposed_reference: { frame_id: 1, reason: 'The middle of the sequence.' },
    })

    async function opened() {
      server.shoot.mockResolvedValue(sorted)
      server.changeFrames.mockResolvedValue(sorted)
      server.changeShoot.mockResolvedValue(sorted)
      server.sortFrames.mockResolvedValue(sorted)
      server.nameSet.mockResolvedValue(sorted)
      const store = useShoot()
      await store.open(1)
      return store
    }

    it('stacks one of them, on the frame that is proposed', async () => {
      const store = await opened()
      expect(store.used.map((f) => f.id)).toEqual([1, 2])
      expect(store.reference?.id).toBe(1)
    })

    it('puts frames into sets', async () => {
      const store = await opened()
      store.chosen = [3, 4]
      const sets = [{ name: 'Sky', role: 'light' as const, into: 7, frame_ids: [3, 4] }]
      await store.sort(sets)
      expect(server.sortFrames).toHaveBeenLastCalledWith(1, { sets })
      expect(store.chosen).toEqual([])
    })

    it('moves frames to a set by its number', async () => {
      const store = await opened()
      await store.moveTo([1], darks)
      expect(server.changeFrames).toHaveBeenLastCalledWith(1, { ids: [1], set_id: 8 })
    })

    it('names sets, chooses another to be stacked, and another kind', async () => {
      const store = await opened()
      await store.nameSet(sky, 'North sky')
      expect(server.nameSet).toHaveBeenLastCalledWith(1, 7, { name: 'North sky' })
      await store.stackSet({ id: 9, name: 'Ground', role: 'light' })
      const to = { stacked_set: 9, was: { stacked_set: 7 } }
      expect(server.changeShoot).toHaveBeenLastCalledWith(1, to, 1)
      await store.setKind('low-light-burst')
      expect(server.changeShoot).toHaveBeenLastCalledWith(1, { kind: 'low-light-burst' })
    })
  })
})
