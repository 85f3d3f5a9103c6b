// Requests to the server. Refusals become errors whose message is the server's sentence.
import type {
  Added,
  Export,
  FocusReport,
  Folder,
  FrameColour,
  FramesChange,
  Grey,
  HandFound,
  Histogram,
  Job,
  KindRules,
  LensFound,
  LensFrom,
  Measured,
  NamedFile,
  NewExport,
  NewProbe,
  NewShoot,
  PictureInfo,
  Problem,
  Role,
  SetChange,
  SharpFrame,
  Shoot,
  ShootCard,
  ShootChange,
  SkylineSeen,
  SortFrames,
} from './types'

/** A refusal of the server, with its sentence. */
export class Refusal extends Error {
  constructor(
    sentence: string,
    /** Settings that somebody else changed at the same time. */
    readonly clash: string[],
  ) {
    super(sentence)
  }
}

function call<T>(method: string, path: string, body?: unknown, more?: HeadersInit): Promise<T> {
  const kind: HeadersInit = body === undefined ? {} : { 'content-type': 'application/json' }
  const headers = { ...kind, ...more }
  const text = body === undefined ? undefined : JSON.stringify(body)
  return ask<T>(path, { method, headers, body: text })
}

/** One file as the body. */
function send<T>(path: string, file: File): Promise<T> {
  return ask<T>(path, { method: 'POST', body: file })
}

async function ask<T>(path: string, request: RequestInit): Promise<T> {
  let response: Response
  try {
    response = await fetch(`/api${path}`, request)
  } catch {
    throw new Error('The server does not answer; see whether it is still running.')
  }
  if (!response.ok) {
    const problem = (await response.json().catch(() => null)) as Problem | null
    const said = problem?.problem ?? `The server refused (${response.status}).`
    throw new Refusal(said, problem?.clash ?? [])
  }
  const text = await response.text()
  return (text ? JSON.parse(text) : undefined) as T
}

export const api = {
  kinds: () => call<KindRules[]>('GET', '/kinds'),
  shoots: () => call<ShootCard[]>('GET', '/shoots'),
  addShoot: (shoot: NewShoot) => call<Shoot>('POST', '/shoots', shoot),
  shoot: (id: number) => call<Shoot>('GET', `/shoots/${id}`),
  /** Changes a shoot as it was seen: where it was changed since, the server merges both. */
  changeShoot: (id: number, change: ShootChange, seen?: number) =>
    call<Shoot>(
      'PATCH',
      `/shoots/${id}`,
      change,
      seen === undefined ? {} : { 'if-match': `"${seen}"` },
    ),
  removeShoot: (id: number) => call<void>('DELETE', `/shoots/${id}`),
  restoreShoot: (id: number) => call<Shoot>('POST', `/shoots/${id}/restore`),
  changeFrames: (id: number, change: FramesChange) =>
    call<Shoot>('POST', `/shoots/${id}/frames`, change),
  sortFrames: (id: number, sort: SortFrames) => call<Shoot>('POST', `/shoots/${id}/sets`, sort),
  nameSet: (id: number, set: number, change: SetChange) =>
    call<Shoot>('PATCH', `/shoots/${id}/sets/${set}`, change),
  removeFrame: (id: number, frame: number) =>
    call<Shoot>('DELETE', `/shoots/${id}/frames/${frame}`),
  folder: (path: string) => call<Folder>('GET', `/folders?path=${encodeURIComponent(path)}`),
  addFolder: (id: number, path: string, role: Role, watch: boolean) =>
    call<Added[]>('POST', `/shoots/${id}/folder`, { path, role, watch }),
  unwatch: (id: number) => call<void>('DELETE', `/shoots/${id}/watched`),
  colour: (frame: number) => call<FrameColour>('GET', `/frames/${frame}/colour`),
  grey: (frame: number, x: number, y: number) =>
    call<Grey>('GET', `/frames/${frame}/grey?x=${x}&y=${y}`),
  lens: (id: number, from: LensFrom) => call<LensFound>('POST', `/shoots/${id}/lens`, { from }),
  tryByHand: (pairs: [number, number, number, number][]) =>
    call<HandFound>('POST', '/hand-fit', { pairs }),
  skyline: (id: number) => call<SkylineSeen>('POST', `/shoots/${id}/skyline`),
  stopSkyline: (id: number) => call<void>('POST', `/shoots/${id}/skyline/stop`),
  loadForSkyline: (id: number, kind: 'mask' | 'picture', file: File) =>
    send<NamedFile>(`/shoots/${id}/skyline/${kind}?name=${encodeURIComponent(file.name)}`, file),
  sweep: (id: number) => call<FocusReport>('POST', `/shoots/${id}/sweep`),
  stopSweep: (id: number) => call<void>('POST', `/shoots/${id}/sweep/stop`),
  run: (id: number) => call<Job>('POST', `/shoots/${id}/runs`),
  cancel: (job: number) => call<Job>('POST', `/jobs/${job}/cancel`),
  resume: (job: number) => call<Job>('POST', `/jobs/${job}/resume`),
  picture: (source: string) => call<PictureInfo>('GET', `/pictures/${source}`),
  histogram: (source: string) => call<Histogram>('GET', `/pictures/${source}/histogram`),
  measure: (source: string, x: number, y: number, size: number) =>
    call<Measured>('GET', `/pictures/${source}/measure?x=${x}&y=${y}&size=${size}`),
  pin: (id: number, probe: NewProbe) => call<Shoot>('POST', `/shoots/${id}/probes`, probe),
  unpin: (id: number, probe: number) => call<void>('DELETE', `/shoots/${id}/probes/${probe}`),
  sharpest: (result: number, x: number, y: number) =>
    call<SharpFrame[]>('GET', `/results/${result}/sharpest?x=${x}&y=${y}`),
  save: (result: number, wish: NewExport) =>
    call<Export[]>('POST', `/results/${result}/exports`, wish),
  stopSaving: (result: number) => call<void>('POST', `/results/${result}/exports/stop`),
}

/** The small picture of a source, in a version of it. */
export function thumbnail(source: string, version: string): string {
  return `/api/pictures/${source}/thumbnail.jpg?v=${version}`
}

/** What an error says to the person. */
export function sentence(error: unknown): string {
  return error instanceof Error ? error.message : String(error)
}
