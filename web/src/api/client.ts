// Requests to the server, typed by its document. Refusals become errors whose message is the server's
// sentence.
import createClient from 'openapi-fetch'
import type {
  LensFrom,
  NamedFile,
  NewExport,
  NewProbe,
  NewShoot,
  FramesChange,
  paths,
  Problem,
  ProblemCode,
  Role,
  SetChange,
  ShootCard,
  ShootChange,
  SortFrames,
} from './types'

/** A refusal of the server, with its sentence. */
export class Refusal extends Error {
  constructor(
    sentence: string,
    /** Settings that somebody else changed at the same time. */
    readonly clash: string[],
    /** The reason, for programs; nothing where the answer is not the server's. */
    readonly code: ProblemCode | null = null,
    /** The setting that is wrong. */
    readonly field: string | null = null,
  ) {
    super(sentence)
  }
}

const client = createClient<paths>({
  baseUrl: `${location.origin}/api`,
  fetch: (request) => fetch(request),
})

/** The body of an answer, or the refusal. */
async function ask<T>(
  answer: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<T> {
  const { data, error, response } = await answer.catch(() => {
    throw new Error('The server does not answer; see whether it is still running.')
  })
  if (response.ok) return data as T
  const problem = error as Partial<Problem> | undefined
  throw new Refusal(
    problem?.detail ?? `The server refused (${response.status}).`,
    problem?.clash ?? [],
    problem?.code,
    problem?.field,
  )
}

/** The path of a shoot. */
const of = (shoot: number) => ({ params: { path: { shoot } } })

/** All shoots; a long list comes in parts. */
async function shoots(): Promise<ShootCard[]> {
  const all: ShootCard[] = []
  let after: string | undefined
  do {
    const answer = client.GET('/shoots', { params: { query: { after } } })
    all.push(...(await ask(answer)))
    const link = (await answer).response.headers.get('link') ?? ''
    after = /[?&]after=([^&>]+)>; rel="next"/.exec(link)?.[1]
  } while (after)
  return all
}

export const api = {
  kinds: () => ask(client.GET('/kinds')),
  shoots,
  addShoot: (body: NewShoot) => ask(client.POST('/shoots', { body })),
  shoot: (id: number) => ask(client.GET('/shoots/{shoot}', of(id))),
  /** Changes a shoot as it was seen: where it was changed since, the server merges both. */
  changeShoot: (shoot: number, body: ShootChange, seen?: number) => {
    const header = seen === undefined ? {} : { 'If-Match': `"${seen}"` }
    return ask(client.PATCH('/shoots/{shoot}', { params: { path: { shoot }, header }, body }))
  },
  removeShoot: (id: number) => ask(client.DELETE('/shoots/{shoot}', of(id))),
  restoreShoot: (id: number) => ask(client.POST('/shoots/{shoot}/restore', of(id))),
  changeFrames: (id: number, body: FramesChange) =>
    ask(client.POST('/shoots/{shoot}/frames', { ...of(id), body })),
  sortFrames: (id: number, body: SortFrames) =>
    ask(client.POST('/shoots/{shoot}/sets', { ...of(id), body })),
  nameSet: (shoot: number, set: number, body: SetChange) =>
    ask(client.PATCH('/shoots/{shoot}/sets/{set}', { params: { path: { shoot, set } }, body })),
  removeFrame: (shoot: number, frame: number) =>
    ask(client.DELETE('/shoots/{shoot}/frames/{frame}', { params: { path: { shoot, frame } } })),
  folder: (path: string) => ask(client.GET('/folders', { params: { query: { path } } })),
  addFolder: (id: number, path: string, role: Role, watch: boolean) =>
    ask(client.POST('/shoots/{shoot}/folder', { ...of(id), body: { path, role, watch } })),
  unwatch: (id: number) => ask(client.DELETE('/shoots/{shoot}/watched', of(id))),
  colour: (frame: number) =>
    ask(client.GET('/frames/{frame}/colour', { params: { path: { frame } } })),
  grey: (frame: number, x: number, y: number) =>
    ask(client.GET('/frames/{frame}/grey', { params: { path: { frame }, query: { x, y } } })),
  lens: (id: number, from: LensFrom) =>
    ask(client.POST('/shoots/{shoot}/lens', { ...of(id), body: { from } })),
  tryByHand: (pairs: [number, number, number, number][]) =>
    ask(client.POST('/hand-fit', { body: { pairs } })),
  skyline: (id: number) => ask(client.GET('/shoots/{shoot}/skyline', of(id))),
  findSkyline: (id: number) => ask(client.POST('/shoots/{shoot}/skyline', of(id))),
  loadForSkyline: (shoot: number, kind: 'mask' | 'picture', file: File): Promise<NamedFile> => {
    const request = {
      params: { path: { shoot }, query: { name: file.name } },
      // A file is sent as it is.
      body: '',
      bodySerializer: () => file,
      headers: { 'content-type': 'application/octet-stream' },
    }
    return kind === 'mask'
      ? ask(client.POST('/shoots/{shoot}/skyline/mask', request))
      : ask(client.POST('/shoots/{shoot}/skyline/picture', request))
  },
  sweep: (id: number) => ask(client.GET('/shoots/{shoot}/sweep', of(id))),
  findSweep: (id: number) => ask(client.POST('/shoots/{shoot}/sweep', of(id))),
  undo: (id: number) => ask(client.POST('/shoots/{shoot}/undo', of(id))),
  redo: (id: number) => ask(client.POST('/shoots/{shoot}/redo', of(id))),
  job: (job: number) => ask(client.GET('/jobs/{job}', { params: { path: { job } } })),
  run: (id: number) => ask(client.POST('/shoots/{shoot}/runs', of(id))),
  cancel: (job: number) => ask(client.POST('/jobs/{job}/cancel', { params: { path: { job } } })),
  resume: (job: number) => ask(client.POST('/jobs/{job}/resume', { params: { path: { job } } })),
  picture: (source: string) =>
    ask(client.GET('/pictures/{source}', { params: { path: { source } } })),
  histogram: (source: string) =>
    ask(client.GET('/pictures/{source}/histogram', { params: { path: { source } } })),
  measure: (source: string, x: number, y: number, size: number) =>
    ask(
      client.GET('/pictures/{source}/measure', {
        params: { path: { source }, query: { x, y, size } },
      }),
    ),
  pin: (id: number, body: NewProbe) =>
    ask(client.POST('/shoots/{shoot}/probes', { ...of(id), body })),
  unpin: (shoot: number, probe: number) =>
    ask(client.DELETE('/shoots/{shoot}/probes/{probe}', { params: { path: { shoot, probe } } })),
  sharpest: (result: number, x: number, y: number) =>
    ask(
      client.GET('/results/{result}/sharpest', { params: { path: { result }, query: { x, y } } }),
    ),
  save: (result: number, body: NewExport) =>
    ask(client.POST('/results/{result}/exports', { params: { path: { result } }, body })),
}

/** The small picture of a source, in a version of it. */
export function thumbnail(source: string, version: string): string {
  return `/api/pictures/${source}/thumbnail.jpg?v=${version}`
}

/** What an error says to the person. */
export function sentence(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}
