import { afterEach, describe, expect, it, vi } from 'vitest'
import { api, sentence, thumbnail } from './client'

function answer(status: number, body: string) {
  const fetch = vi.fn().mockResolvedValue(new Response(body || null, { status }))
  vi.stubGlobal('fetch', fetch)
  return fetch
}

function sent(fetch: ReturnType<typeof answer>): Request {
  return fetch.mock.calls[0]![0]
}

afterEach(() => vi.unstubAllGlobals())

describe('requests', () => {
  it('send JSON where there is something to send, and read JSON', async () => {
    const fetch = answer(200, '{"id":3}')
    expect(await api.addShoot({ name: 'Mast', kind: 'night-sky' })).toEqual({ id: 3 })
    const request = sent(fetch)
    expect(new URL(request.url).pathname).toBe('/api/shoots')
    expect(request.method).toBe('POST')
    expect(request.headers.get('content-type')).toBe('application/json')
    expect(await request.json()).toEqual({ name: 'Mast', kind: 'night-sky' })
  })

  it('send no body where there is none, and take an empty answer', async () => {
    const fetch = answer(204, '')
    expect(await api.removeShoot(7)).toBeUndefined()
    expect(await sent(fetch).text()).toBe('')
  })

  it('write folders into the address so that any name arrives', async () => {
    const fetch = answer(200, '{}')
    await api.folder('/card/night & day#2')
    expect(sent(fetch).url).toMatch(/\/api\/folders\?path=%2Fcard%2Fnight%20%26%20day%232$/)
  })

  it('fail with the sentence of the server', async () => {
    answer(422, '{"detail":"Two frames are the least.","code":"refused","field":"frames"}')
    const refused = await api.run(1).catch((error) => error)
    expect([refused.message, refused.code, refused.field]).toEqual([
      'Two frames are the least.',
      'refused',
      'frames',
    ])
  })

  it('say which revision a change was made on, and tell what another page changed', async () => {
    const fetch = answer(200, '{}')
    await api.changeShoot(3, { plan: { combine: { clip: 2 } } }, 17)
    expect(sent(fetch).headers.get('if-match')).toBe('"17"')
    answer(412, '{"detail":"Another page changed this.","clash":["plan.combine.clip"]}')
    const refused = await api.changeShoot(3, {}).catch((error) => error)
    expect([refused.message, refused.clash]).toEqual([
      'Another page changed this.',
      ['plan.combine.clip'],
    ])
  })

  it('follow a long list of shoots to its end', async () => {
    const next = '</api/shoots?limit=100&after=17-3>; rel="next"'
    const fetch = vi
      .fn()
      .mockResolvedValueOnce(new Response('[{"id":4},{"id":3}]', { headers: { link: next } }))
      .mockResolvedValueOnce(new Response('[{"id":1}]'))
    vi.stubGlobal('fetch', fetch)
    expect((await api.shoots()).map((shoot) => shoot.id)).toEqual([4, 3, 1])
    expect(fetch.mock.calls.map(([request]) => new URL(request.url).search)).toEqual([
      '',
      '?after=17-3',
    ])
  })

  it('fail with a sentence of their own when the server gives none', async () => {
    answer(502, '<html>')
    await expect(api.run(1)).rejects.toThrow('The server refused (502).')
    vi.stubGlobal('fetch', vi.fn().mockRejectedValue(new TypeError('failed')))
    await expect(api.shoots()).rejects.toThrow('see whether it is still running')
  })

  it('name thumbnails and errors', () => {
    expect(thumbnail('frame-3', 'ab12')).toBe('/api/pictures/frame-3/thumbnail.jpg?v=ab12')
    expect(sentence(new Error('Full.'))).toBe('Full.')
    expect(sentence('odd')).toBe('odd')
  })
})
