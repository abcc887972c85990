import { describe, expect, test, vi } from 'vitest'
import { insist, messageOf } from '../src/api/client'
import { mapBytes } from '../src/api/pictures'

describe('what a refusal says', () => {
  test('ours, that of validation, that of the framework, or none', () => {
    expect(messageOf({ message: 'layers[2].size_mm: more than 0' })).toBe('layers[2].size_mm: more than 0')
    expect(messageOf({ detail: 'Not Found' })).toBe('Not Found')
    expect(messageOf({ detail: [{ loc: ['body', 'data', 'stroke', 'scale'], msg: 'must be more than 0' }] })).toBe(
      'stroke.scale: must be more than 0',
    )
    for (const none of [undefined, null, 'oops', {}, { detail: [] }]) expect(messageOf(none, 'x')).toBe('x')
  })
})

describe('asking until there is an answer', () => {
  const status = (code: number, error?: object) => ({ response: { status: code } as Response, error })
  test('a failing or absent server is asked again, less often; why is said and taken back', async () => {
    vi.useFakeTimers()
    const answers = [
      () => status(500, { message: 'The disk is full.' }),
      () => Promise.reject(new TypeError()),
      () => status(201),
    ]
    const said: string[] = []
    const ask = vi.fn(async () => answers.shift()!())
    const found = insist(ask, (why) => said.push(why))
    await vi.advanceTimersByTimeAsync(999)
    expect(ask).toHaveBeenCalledTimes(1)
    await vi.advanceTimersByTimeAsync(1)
    expect(ask).toHaveBeenCalledTimes(2)
    await vi.advanceTimersByTimeAsync(2000)
    expect((await found).response.status).toBe(201)
    expect(said).toEqual(['The disk is full.', 'The server did not answer. Check that it is running.', ''])
    vi.useRealTimers()
  })
  test('a refusal is an answer', async () => {
    const said: string[] = []
    expect(
      (
        await insist(
          async () => status(422),
          (why) => said.push(why),
        )
      ).response.status,
    ).toBe(422)
    expect(said).toEqual([])
  })
})

describe('maps that were fetched', () => {
  const fetches = (size: number) => {
    const asked = vi.fn(async () => new Response(new Uint8Array(size)))
    vi.stubGlobal('fetch', asked)
    return asked
  }
  test('are fetched once, also while the first is under way', async () => {
    const asked = fetches(8)
    await Promise.all([mapBytes('a'), mapBytes('a'), mapBytes('a')])
    expect(asked).toHaveBeenCalledTimes(1)
  })
  test('the oldest go when there are too many bytes, what was used lately stays', async () => {
    const asked = fetches(60 * 1024 * 1024)
    for (const hash of ['b', 'c', 'd', 'e', 'b', 'f']) await mapBytes(hash)
    const before = asked.mock.calls.length
    await mapBytes('b')
    expect(asked.mock.calls.length).toBe(before)
    await mapBytes('c')
    expect(asked.mock.calls.length).toBe(before + 1)
  })
  test('one that failed is asked for again', async () => {
    vi.stubGlobal('fetch', async () => new Response('', { status: 404 }))
    await expect(mapBytes('g')).rejects.toThrow('no longer kept')
    fetches(4)
    expect((await mapBytes('g')).length).toBe(4)
  })
})
