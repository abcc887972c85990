import './api'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { history } from '../src/stores/work/history'
import { layer, opened, sceneOf } from './scenes'
import { Server } from './server'

let server: Server
beforeEach(() => {
  vi.useFakeTimers()
  localStorage.clear()
  server = new Server(sceneOf(layer('dust')))
})
afterEach(() => vi.useRealTimers())
function bench() {
  const { state, verbs } = opened(server)
  const made = history(state, verbs)
  // The version as it was opened.
  made.take(server.version as never)
  return { state, ...made }
}
const names = (k = -1) => server.saved.at(k)!.layers.map((l) => l.name)
const rename = (to: string) => (scene: { layers: { name: string }[] }) => (scene.layers[0].name = to)
/** Let everything that is under way come to rest, and clocks run on. */
const later = (ms = 0) => vi.advanceTimersByTimeAsync(ms)

describe('edits', () => {
  test('go one after the other, each on the version before', async () => {
    const { edit, saved, state } = bench()
    edit('One', rename('a'))
    edit('Two', rename('b'))
    await saved()
    expect(server.asked.map((a) => a.body.base)).toEqual([1, 2])
    expect([names(1), names(2)]).toEqual([['a'], ['b']])
    expect(state.unsaved.value).toBe(0)
  })
  test('each carries the document as it was when it was made', async () => {
    const { edit, saved } = bench()
    server.holds = '/scene'
    edit('One', rename('a'))
    await later()
    edit('Two', rename('b'))
    server.holds = ''
    server.go()
    await saved()
    expect(names(1)).toEqual(['a'])
  })
})

describe('an edit that the server fails on', () => {
  for (const fault of [{ status: 500 }, { status: 507, body: { message: 'The disk is full.' } }, 'none'] as const)
    test(`(${typeof fault === 'string' ? 'no answer' : fault.status}) is said to be unsaved, kept, and sent again`, async () => {
      const { edit, saved, state } = bench()
      server.faults = [fault, fault]
      edit('Rename', rename('a'))
      await saved()
      expect(state.savingTrouble.value).toContain("'Rename' is not saved yet")
      expect(state.scene.value!.layers[0].name).toBe('a')
      expect(JSON.parse(localStorage['limus.kept.1']).document.layers[0].name).toBe('a')
      // The second try fails too, the third one is taken.
      await later(2000)
      expect(state.kept.value?.label).toBe('Rename')
      await later(4000)
      expect(names()).toEqual(['a'])
      expect([state.savingTrouble.value, state.kept.value]).toEqual(['', undefined])
      expect(state.notice.value).toContain('Saved now')
      expect(localStorage['limus.kept.1']).toBeUndefined()
    })
  test('goes with the next one that is made', async () => {
    const { edit, saved, state } = bench()
    server.faults = [{ status: 500 }]
    edit('Rename', rename('a'))
    await saved()
    edit('Switch off', (scene) => (scene.layers[0].on = false))
    await saved()
    expect(server.saved.at(-1)!.layers[0]).toMatchObject({ name: 'a', on: false })
    expect(state.kept.value).toBeUndefined()
    await later(60_000)
    expect(server.saved.length).toBe(2)
  })
  test('waits longer the longer it takes', async () => {
    const { edit } = bench()
    server.faults = Array.from({ length: 50 }, () => ({ status: 500 }))
    edit('Rename', rename('a'))
    await later(120_000)
    // After 2, 4, 8, 16, 32, 32, ... seconds.
    expect(server.asked.length).toBe(7)
  })
  test('outlives the page, where nothing else happened since', async () => {
    const first = bench()
    server.faults = [{ status: 500 }]
    first.edit('Rename', rename('a'))
    await first.saved()
    const kept = localStorage['limus.kept.1']
    const next = bench()
    next.takeUpKept()
    await next.saved()
    expect(names()).toEqual(['a'])
    // Had the scene been changed meanwhile, it would have been written over.
    localStorage['limus.kept.1'] = kept
    const late = bench()
    late.takeUpKept()
    await late.saved()
    expect(late.state.notice.value).toContain('was changed since')
    expect(server.saved.length).toBe(2)
  })
})

describe('an edit that is refused', () => {
  test('for good is taken back, and why is said', async () => {
    const { edit, saved, state } = bench()
    server.faults = [{ status: 422, body: { message: 'layers[0].name: too long' } }]
    edit('Rename', rename('a'))
    await saved()
    expect(state.savingTrouble.value).toBe('layers[0].name: too long')
    expect(state.scene.value!.layers[0].name).toBe('dust')
    expect(state.kept.value).toBeUndefined()
  })
  test('because of another window never writes over what was done there', async () => {
    const { edit, saved, state } = bench()
    server.elsewhere(sceneOf(layer('rust')))
    edit('One', rename('a'))
    edit('Two', rename('b'))
    await saved()
    expect(names()).toEqual(['rust'])
    expect(state.scene.value!.layers[0].name).toBe('rust')
    expect(state.notice.value).toContain("'Two' was not saved")
    // What is made after it was seen is saved again.
    edit('Three', rename('c'))
    await saved()
    expect(names()).toEqual(['c'])
  })
})

test('the page warns before it is left while something is unsaved', async () => {
  const { edit, saved } = bench()
  const leave = () => {
    const event = new Event('beforeunload', { cancelable: true })
    window.dispatchEvent(event)
    return event.defaultPrevented
  }
  server.holds = '/scene'
  edit('One', rename('a'))
  await later()
  expect(leave()).toBe(true)
  server.go()
  await saved()
})
