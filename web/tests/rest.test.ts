import { afterEach, beforeEach, expect, test, vi } from 'vitest'
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
