// @vitest-environment happy-dom
import { afterEach, beforeEach, expect, test, vi } from 'vitest'
import { api, sendPhotograph } from '../src/api/client'
import { begun, during, Plan } from '../src/rest'

beforeEach(() => vi.useFakeTimers())
afterEach(() => vi.useRealTimers())
const now = () => document.documentElement.dataset.rest
const later = (ms = 50) => vi.advanceTimersByTimeAsync(ms)

test('the page is at rest when everything that began is over, and a frame was drawn', async () => {
  const [one, two] = [begun('a map'), begun('a frame')]
  expect(now()).toBe('no: a map, a frame')
  one()
  one()
  expect(now()).toBe('no: a frame')
  two()
  expect(now()).not.toBe('yes')
  await later()
  expect(now()).toBe('yes')
})
test('what begins before that frame puts it off', async () => {
  const one = begun('a map')
  one()
  const two = begun('a frame')
  await later()
  expect(now()).toBe('no: a frame')
  two()
  await later()
  expect(now()).toBe('yes')
})
test('work that fails is over too', async () => {
  await expect(during('a map', Promise.reject(new Error('x')))).rejects.toThrow('x')
  await later()
  expect(now()).toBe('yes')
})
test('a plan counts until it is carried out or called off, and its newest date holds', async () => {
  const plan = new Plan('small pictures')
  const act = vi.fn()
  plan.after(1000, act)
  await later(600)
  plan.after(1000, act)
  await later(600)
  expect([act.mock.calls.length, now()]).toEqual([0, 'no: small pictures'])
  await later(500)
  expect([act.mock.calls.length, now()]).toEqual([1, 'yes'])
  plan.after(1000, act)
  plan.off()
  await later(2000)
  expect([act.mock.calls.length, now()]).toEqual([1, 'yes'])
})
test('what a plan carries out may plan the next', async () => {
  const plan = new Plan('tiles')
  const act = vi.fn()
  plan.after(100, () => plan.after(100, act))
  await later(150)
  expect(now()).toBe('no: tiles')
  await later(150)
  expect([act.mock.calls.length, now()]).toEqual([1, 'yes'])
})
test('an end that something followed is not told, even when that too is over by then', async () => {
  begun('a map')()
  // Within one frame: over, begun, over; rest is told a frame after the last of them.
  let frames = 0
  const asked = vi.spyOn(globalThis, 'requestAnimationFrame').mockImplementation((act) => {
    frames++
    return setTimeout(() => act(0), frames === 1 ? 5 : 30) as unknown as number
  })
  const one = begun('an upload')
  one()
  await later(2)
  begun('the next upload')()
  await later(20)
  expect(now()).not.toBe('yes')
  await later(50)
  expect(now()).toBe('yes')
  asked.mockRestore()
})
test('an upload is over when its answer is read, not when it begins to come', async () => {
  let body!: (found: unknown) => void
  vi.stubGlobal('fetch', () => Promise.resolve({ ok: true, json: () => new Promise((go) => (body = go)) }))
  const sent = sendPhotograph<{ id: number }>(1, new File(['x'], 'a.png'))
  await later()
  expect(now()).toBe('no: an upload')
  body({ id: 7 })
  expect(await sent).toEqual({ id: 7 })
  await later()
  expect(now()).toBe('yes')
  vi.unstubAllGlobals()
})
test('what is asked is over when its answer is read and what follows has begun', async () => {
  let close!: () => void
  const body = new ReadableStream({
    start(control) {
      control.enqueue(new TextEncoder().encode('[]'))
      close = () => control.close()
    },
  })
  const answers = [new Response(body), new Promise<Response>(() => {})]
  vi.stubGlobal('fetch', () => Promise.resolve(answers.shift()))
  const told: string[] = []
  const both = api.GET('/api/projects').then(({ data }) => {
    told.push(now()!)
    void api.GET('/api/treatments')
    return data
  })
  await later()
  expect(now()).toBe('no: /api/projects')
  close()
  expect(await both).toEqual([])
  await later()
  // Never at rest between the two.
  expect([told, now()]).toEqual([['no: /api/projects'], 'no: /api/treatments'])
  vi.unstubAllGlobals()
})
