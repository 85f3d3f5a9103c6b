import { createPinia, setActivePinia } from 'pinia'
import { beforeEach, expect, it, vi } from 'vitest'
import { effectScope, ref } from 'vue'
import { api } from '../api/client'
import { usePicture } from './pictures'

vi.mock('../api/client', async (original) => ({
  ...(await original<typeof import('../api/client')>()),
  api: { picture: vi.fn() },
}))

const server = vi.mocked(api)
const told = (source: string) => ({
  source,
  version: 'v1',
  width: 9,
  height: 6,
  levels: 1,
  origin: [0, 0] as [number, number],
})

beforeEach(() => {
  setActivePinia(createPinia())
  vi.clearAllMocks()
})

/** Answers that come when the test says so, by source. */
function delayed() {
  const answers = new Map<string, () => void>()
  server.picture.mockImplementation(
    (source) => new Promise((done) => answers.set(source, () => done(told(source)))),
  )
  return async (source: string) => {
    await vi.waitFor(() => expect(answers.has(source)).toBe(true))
    answers.get(source)!()
    await new Promise((done) => setTimeout(done))
  }
}

it('never shows a late answer, and what was seen last until the right one comes', async () => {
  const answer = delayed()
  const source = ref<string | null>('frame-1')
  const scope = effectScope()
  const { info } = scope.run(() => usePicture(() => source.value))!
  await answer('frame-1')
  expect(info.value?.source).toBe('frame-1')
  source.value = 'frame-2'
  await vi.waitFor(() => expect(server.picture).toHaveBeenCalledTimes(2))
  source.value = 'frame-3'
  await answer('frame-2')
  expect(info.value?.source).toBe('frame-1')
  await answer('frame-3')
  expect(info.value?.source).toBe('frame-3')
  source.value = null
  expect(info.value).toBeNull()
  scope.stop()
})

it('is asked for anew where something else decides how it is seen, and tells a refusal', async () => {
  server.picture.mockImplementation((source) => Promise.resolve(told(source)))
  const treatment = ref('dark')
  const scope = effectScope()
  const { info, problem } = scope.run(() =>
    usePicture(
      () => 'frame-1',
      () => treatment.value,
    ),
  )!
  await vi.waitFor(() => expect(info.value?.source).toBe('frame-1'))
  server.picture.mockRejectedValue(new Error('f1.tif is gone.'))
  treatment.value = 'light'
  await vi.waitFor(() => expect(problem.value).toBe('f1.tif is gone.'))
  expect(info.value).toBeNull()
  scope.stop()
})
