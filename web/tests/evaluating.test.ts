// @vitest-environment happy-dom
import './api'
import { beforeEach, describe, expect, test, vi } from 'vitest'
import { evaluating } from '../src/stores/work/evaluating'
import { layer, opened, sceneOf } from './scenes'
import { Server } from './server'

let server: Server
const benches: { object: { value: unknown } }[] = []
beforeEach(() => {
  // What an earlier test left behind asks for nothing any more.
  benches.splice(0).forEach((state) => (state.object.value = undefined))
  server = new Server(sceneOf(layer('paint'), layer('rust'), layer('dust')))
})
function bench() {
  const commits: string[] = []
  const { state, verbs } = opened(server, { versionNow: () => 1, commit: async (label) => commits.push(label) })
  benches.push(state)
  return { state, commits, ...evaluating(state, verbs) }
}
const rest = () => new Promise((go) => setTimeout(go, 20))
const sizes = () => server.asked.map((a) => a.body.resolution)

describe('what the view asks for', () => {
  test('one request at a time; of those that wait the newest', async () => {
    const { preview, full, state } = bench()
    server.holds = '/evaluate'
    preview()
    await rest()
    for (let k = 0; k < 30; k++) preview()
    full()
    expect(sizes()).toEqual([256])
    expect(state.busy.value).toBe(true)
    server.holds = ''
    server.go()
    await rest()
    expect(sizes()).toEqual([256, 1024])
    expect(state.busy.value).toBe(false)
  })
  test('a step of a drag that comes late never takes the place of the whole', async () => {
    const { preview, full } = bench()
    server.holds = '/evaluate'
    preview()
    await rest()
    full()
    preview()
    server.holds = ''
    server.go()
    await rest()
    expect(sizes()).toEqual([256, 1024])
  })
  test('a view smaller than that of a drag stays small', async () => {
    const { preview, state } = bench()
    state.size.value = 256
    preview()
    await rest()
    expect(sizes()).toEqual([256])
    state.size.value = 1024
  })
  test('what was overtaken by nothing that waits here is asked again, a few times', async () => {
    const { full, state } = bench()
    const overtaken = { status: 409, body: { message: 'Something newer was asked' } }
    server.faults = [overtaken, overtaken]
    full()
    await rest()
    expect(sizes()).toEqual([1024, 1024, 1024])
    expect(state.evaluation.value).toBeDefined()
    expect(state.trouble.value).toBe('')
    // Two pages that overtake each other come to an end.
    server.asked.length = 0
    server.faults = Array(9).fill(overtaken)
    full()
    await rest()
    expect(sizes()).toEqual([1024, 1024, 1024, 1024])
    expect(state.busy.value).toBe(false)
  })
  test('what it complains of is shown, and goes with the next that works', async () => {
    const { full, state } = bench()
    server.faults = [{ status: 422, body: { message: 'layers[1]: no such picture' } }]
    full()
    await rest()
    expect(state.trouble.value).toBe('layers[1]: no such picture')
    full()
    await rest()
    expect(state.trouble.value).toBe('')
  })
  test('looking through something that is gone falls back to the surface', async () => {
    const { show, state } = bench()
    server.faults = [{ status: 422, body: { message: 'no layer rust-9' } }]
    show({ kind: 'mask', layer: 'rust-9' })
    await rest()
    expect(state.look.value.kind).toBe('lit')
    expect(server.asked.length).toBe(2)
    expect(state.trouble.value).toBe('')
  })
  test('an answer for an object that was left is not taken', async () => {
    const { full, state } = bench()
    server.holds = '/evaluate'
    full()
    await rest()
    state.object.value = { ...state.object.value!, id: 2 }
    server.go()
    await rest()
    expect(state.evaluation.value).toBeUndefined()
  })
  test('small pictures stay while a drag brings none', async () => {
    const { full, preview, state } = bench()
    const answer = (picture: string) => ({
      status: 200,
      body: { layers: [{ id: 'rust', picture }], coats: [], readings: 'good' },
    })
    server.faults = [answer('p1')]
    full()
    await rest()
    server.faults = [answer('')]
    preview()
    await rest()
    expect(state.evaluation.value!.layers[0].picture).toBe('p1')
  })
  test('before and after: without the chosen layer and what came later', async () => {
    const { peek, select } = bench()
    const until = () => server.asked.at(-1)!.body.until
    select('rust')
    await rest()
    expect(until()).toBe(null)
    peek(true)
    await rest()
    expect(until()).toBe('paint')
    peek(false)
    select('paint')
    await rest()
    peek(true)
    await rest()
    expect(until()).toBe('')
  })
})

describe('after an edit', () => {
  test('it is sharp first and has its small pictures then, also when something was under way', async () => {
    const { sharp, preview } = bench()
    server.holds = '/evaluate'
    preview()
    await rest()
    sharp()
    // A step of the drag that comes late takes the place of neither.
    preview()
    server.holds = ''
    server.go()
    await rest()
    expect(server.asked.filter((a) => !a.body.ahead).map((a) => [a.body.resolution, a.body.pictures])).toEqual([
      [256, false],
      [1024, false],
      [1024, true],
    ])
  })
})

describe('opening', () => {
  test('goes from coarse to sharp, small pictures last', async () => {
    const { climb } = bench()
    climb()
    await rest()
    expect(server.asked.map((a) => [a.body.resolution, a.body.pictures])).toEqual([
      [256, false],
      [512, false],
      [1024, true],
    ])
  })
  test('whatever is asked for meanwhile takes the place of the rest', async () => {
    const { climb, preview } = bench()
    server.holds = '/evaluate'
    climb()
    await rest()
    preview()
    server.holds = ''
    server.go()
    await rest()
    // The newest step and nothing else, but for what is made ready afterwards.
    expect(server.asked.filter((a) => !a.body.ahead).length).toBe(2)
  })
  test('the sizes of a drag are made ready while nobody asks, and nothing is shown of it', async () => {
    const { full, state } = bench()
    full()
    await vi.waitFor(() => expect(server.asked.filter((a) => a.body.ahead).length).toBe(3), { timeout: 4000 })
    expect(server.asked.filter((a) => a.body.ahead).map((a) => a.body.resolution)).toEqual([128, 256, 512])
    expect(server.asked.filter((a) => a.body.ahead).every((a) => !a.body.pictures)).toBe(true)
    const first = server.asked.find((a) => !a.body.ahead)!.body.ticket
    expect([state.evaluation.value!.ticket, state.busy.value]).toEqual([first, false])
    // Nothing is left to be made ready.
    await new Promise((go) => setTimeout(go, 600))
    expect(server.asked.length).toBe(4)
  })
})

test('a year is kept within the age of the place, and saved only when it is let go', async () => {
  const { goToYear, state, commits } = bench()
  goToYear(-3, false)
  expect([state.scene.value!.year, commits]).toEqual([0, []])
  goToYear(4.256, true)
  expect([state.scene.value!.year, commits]).toEqual([4.26, ['Age 4.26 years']])
  goToYear(25, true)
  expect([state.scene.value!.year, commits.at(-1)]).toEqual([null, 'Back to today'])
  await vi.waitFor(() => expect(state.busy.value).toBe(false))
})

describe('beside the view', () => {
  const set = { values: { 'layers[rust].effect.years': 3 }, drop: [] }
  test('another value is asked about, and the view shows what it showed', async () => {
    const { aside, state } = bench()
    const found = await aside({ set, size: 256, wanted: () => true })
    expect(found).toBeTruthy()
    expect(state.evaluation.value).toBeUndefined()
    const [{ body }] = server.asked
    expect([body.resolution, body.pictures, body.edits]).toEqual([256, false, [{ name: 'set', arguments: set }]])
  })
  test('one after the other: two would end each other', async () => {
    const { aside } = bench()
    server.holds = '/evaluate'
    const one = aside({ set, size: 256, wanted: () => true })
    const two = aside({ set, size: 512, wanted: () => true })
    await rest()
    expect(sizes()).toEqual([256])
    server.holds = ''
    server.go()
    await Promise.all([one, two])
    expect(sizes()).toEqual([256, 512])
  })
  test('what had to give way is asked again, as long as it is wanted', async () => {
    const { aside } = bench()
    const gone = { status: 409, body: { message: 'A newer one was asked' } }
    server.faults = [gone, gone]
    expect(await aside({ set, size: 256, wanted: () => true })).toBeTruthy()
    expect(sizes()).toEqual([256, 256, 256])
    server.faults = [gone]
    let left = 1
    expect(await aside({ set, size: 512, wanted: () => left-- > 0 })).toBeUndefined()
    expect(sizes()).toEqual([256, 256, 256, 512])
  })
  test('a refusal says why, and the next goes on', async () => {
    const { aside } = bench()
    server.faults = [{ status: 422, body: { message: 'layers[1]: too large' } }]
    await expect(aside({ set, size: 256, wanted: () => true })).rejects.toThrow('too large')
    expect(await aside({ set, size: 256, wanted: () => true })).toBeTruthy()
  })
  test('a control that is moved to learn what it sets asks for nothing', async () => {
    const { preview, state } = bench()
    state.probing.value = true
    preview()
    await rest()
    expect(server.asked.length).toBe(0)
  })
})
