import { afterEach, describe, expect, it, vi } from 'vitest'
import { api, sentence, thumbnail } from './client'

function answer(status: number, body: string) {
  const fetch = vi.fn().mockResolvedValue(new Response(body || null, { status }))
  vi.stubGlobal('fetch', fetch)
  return fetch
}

afterEach(() => vi.unstubAllGlobals())

describe('requests', () => {
  it('send JSON where there is something to send, and read JSON', async () => {
    const fetch = answer(200, '{"id":3}')
    expect(await api.addShoot({ name: 'Mast', kind: 'night-sky' })).toEqual({ id: 3 })
    const [path, options] = fetch.mock.calls[0]!
    expect(path).toBe('/api/shoots')
    expect(options.method).toBe('POST')
    expect(options.headers['content-type']).toBe('application/json')
    expect(JSON.parse(options.body)).toEqual({ name: 'Mast', kind: 'night-sky' })
  })

  it('send no body where there is none, and take an empty answer', async () => {
    const fetch = answer(200, '')
    expect(await api.removeShoot(7)).toBeUndefined()
    expect(fetch.mock.calls[0]![1].body).toBeUndefined()
  })

  it('write folders into the address so that any name arrives', async () => {
    const fetch = answer(200, '{}')
    await api.folder('/card/night & day#2')
    expect(fetch.mock.calls[0]![0]).toBe('/api/folders?path=%2Fcard%2Fnight%20%26%20day%232')
  })

  it('fail with the sentence of the server', async () => {
    answer(422, '{"problem":"Two frames are the least."}')
    await expect(api.run(1)).rejects.toThrow('Two frames are the least.')
  })

  it('say which revision a change was made on, and tell what another page changed', async () => {
    const fetch = answer(200, '{}')
    await api.changeShoot(3, { plan: { combine: { clip: 2 } } }, 17)
    expect(fetch.mock.calls[0]![1].headers['if-match']).toBe('"17"')
    answer(412, '{"problem":"Another page changed this.","clash":["plan.combine.clip"]}')
    const refused = await api.changeShoot(3, {}).catch((error) => error)
    expect([refused.message, refused.clash]).toEqual([
      'Another page changed this.',
      ['plan.combine.clip'],
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
