// @vitest-environment happy-dom
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
    server.holds = '/edit'
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
  for (const fault of [{ status: 500 }, { status: 507, body: { message: 'The disk is full.' } }, 'none'] as const) {
    const what = typeof fault === 'string' ? 'no answer' : fault.status
    test(`(${what}) is said to be unsaved, kept, and sent again`, async () => {
      const { edit, saved, state } = bench()
      server.faults = [fault, fault]
      edit('Rename', rename('a'))
      await saved()
      expect(state.savingTrouble.value).toContain("'Rename' is not saved yet")
      expect(state.scene.value!.layers[0].name).toBe('a')
      expect(JSON.parse(localStorage['limus.kept.1'])[0]).toMatchObject({
        base: 1,
        name: 'set',
        arguments: { values: { 'layers[dust].name': 'a' } },
      })
      // The second try fails too, the third one is taken.
      await later(2000)
      expect(state.kept.value?.label).toBe('Rename')
      await later(4000)
      expect(names()).toEqual(['a'])
      expect([state.savingTrouble.value, state.kept.value]).toEqual(['', undefined])
      expect(state.notice.value).toContain('Saved now')
      expect(localStorage['limus.kept.1']).toBeUndefined()
    })
  }
  test('goes with the next one that is made, each a version of its own', async () => {
    const { edit, saved, state } = bench()
    server.faults = [{ status: 500 }]
    edit('Rename', rename('a'))
    await saved()
    edit('Switch off', (scene) => (scene.layers[0].on = false))
    await saved()
    expect(server.saved.at(-1)!.layers[0]).toMatchObject({ name: 'a', on: false })
    expect(server.asked.map((a) => (a.body.arguments as { label: string }).label)).toEqual([
      'Rename',
      'Rename',
      'Switch off',
    ])
    expect(state.kept.value).toBeUndefined()
    await later(60_000)
    expect(server.saved.length).toBe(3)
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
    server.elsewhere(sceneOf(layer('rust')))
    const late = bench()
    late.takeUpKept()
    await late.saved()
    expect(late.state.notice.value).toContain('was changed since')
    expect([server.saved.length, names()]).toEqual([3, ['rust']])
    expect(late.state.unmade.value.map((e) => e.label)).toEqual(['Rename'])
  })
  test('that did arrive, though no answer told so, is not said to be lost', async () => {
    const { edit, saved, state } = bench()
    // The server takes it, and the answer goes astray.
    server.astray = 1
    edit('Rename', rename('a'))
    await saved()
    expect(state.kept.value?.label).toBe('Rename')
    await later(2000)
    expect([names(), server.saved.length]).toEqual([['a'], 2])
    expect([state.savingTrouble.value, state.unmade.value]).toEqual(['', []])
    edit('Again', rename('b'))
    await saved()
    expect(names()).toEqual(['b'])
  })
  test('is sent at once when the browser is online again', async () => {
    const { edit, saved } = bench()
    server.faults = ['none', 'none', 'none']
    edit('Rename', rename('a'))
    await saved()
    await later(2000 + 4000)
    expect(server.asked.length).toBe(3)
    window.dispatchEvent(new Event('online'))
    await later()
    expect(names()).toEqual(['a'])
  })
  test('waits for its own object while another one is open', async () => {
    const { edit, saved, anew, take, state, takeUpKept } = bench()
    server.faults = ['none']
    edit('Rename', rename('a'))
    await saved()
    anew()
    expect([state.unsaved.value, state.kept.value]).toEqual([0, undefined])
    take(server.version as never)
    takeUpKept()
    await saved()
    expect(names()).toEqual(['a'])
  })
})

describe('an edit that is refused', () => {
  test('for good is taken back, and why is said', async () => {
    const { edit, saved, state } = bench()
    server.faults = [{ status: 422, body: { message: 'layers[0].name: too long' } }]
    edit('Rename', rename('a'))
    await saved()
    expect(state.savingTrouble.value).toBe('layers[0].name: too long')
    // The next edit that is saved ends the complaint.
    edit('Again', rename('b'))
    await saved()
    expect(state.savingTrouble.value).toBe('')
    edit('Back', rename('dust'))
    await saved()
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
    // Both are named and kept, also over a reload, each with what it is.
    expect(state.unmade.value.map((e) => [e.label, e.base, e.arguments.values])).toEqual([
      ['One', 1, { 'layers[dust].name': 'a' }],
      ['Two', 1, { 'layers[dust].name': 'b' }],
    ])
    const next = bench()
    next.takeUpKept()
    expect(next.state.unmade.value.map((e) => e.label)).toEqual(['One', 'Two'])
    // What is made after it was seen is saved again.
    edit('Three', rename('c'))
    await saved()
    expect(names()).toEqual(['c'])
  })
})

describe('undo', () => {
  const down = (n: number) => Array.from({ length: n }, () => ({ status: 500 }))
  test('takes back what waits to be saved, and nothing that is saved', async () => {
    const { edit, saved, step, state } = bench()
    edit('Saved', rename('a'))
    await saved()
    server.faults = down(1)
    edit('Waits', rename('b'))
    await saved()
    expect(state.waitingLabels.value).toEqual(['Waits'])
    await step('undo')
    await later(60_000)
    expect(state.scene.value!.layers[0].name).toBe('a')
    expect([names(), server.asked.some((a) => a.path.endsWith('/undo'))]).toEqual([['a'], false])
    // Nothing is said to be saved that is not, and nothing waits any more.
    expect([state.kept.value, state.savingTrouble.value, state.unsaved.value]).toEqual([undefined, '', 0])
    expect(state.notice.value).toContain("'Waits' was taken back")
    expect(localStorage['limus.kept.1']).toBeUndefined()
    // Redo brings it again, and now it is saved.
    await step('redo')
    expect([names(), state.scene.value!.layers[0].name]).toEqual([['b'], 'b'])
  })
  test('takes back one after the other, the newest first, down to what is saved', async () => {
    const { edit, saved, step, state, undoes, redoes } = bench()
    edit('Saved', rename('a'))
    await saved()
    server.faults = down(9)
    edit('One', rename('b'))
    edit('Two', rename('c'))
    await saved()
    expect(undoes.value).toBe('Two')
    await step('undo')
    expect([state.scene.value!.layers[0].name, undoes.value, redoes.value]).toEqual(['b', 'One', 'Two'])
    await step('undo')
    expect(state.scene.value!.layers[0].name).toBe('a')
    server.faults = []
    await step('undo')
    expect([state.scene.value!.layers[0].name, server.at]).toEqual(['dust', 1])
    // All the way back: first what was saved, then what never was.
    for (const name of ['a', 'b', 'c']) {
      await step('redo')
      expect(state.scene.value!.layers[0].name).toBe(name)
    }
    expect(names()).toEqual(['c'])
  })
  test('of an edit on its way waits for it', async () => {
    for (const fault of [undefined, { status: 500 }]) {
      server = new Server(sceneOf(layer('dust')))
      const { edit, step, state } = bench()
      server.holds = '/edit'
      if (fault) server.faults = [fault]
      edit('Rename', rename('a'))
      await later()
      const done = step('undo')
      server.holds = ''
      server.go()
      await done
      expect([state.scene.value!.layers[0].name, state.unsaved.value, server.version.document.layers[0].name]).toEqual([
        'dust',
        0,
        'dust',
      ])
    }
  })
  test('while the server is away says so and is done later', async () => {
    const { edit, saved, step, state } = bench()
    edit('Rename', rename('a'))
    await saved()
    server.faults = ['none', { status: 500 }]
    await step('undo')
    expect(state.savingTrouble.value).toContain('Undo is done as soon as the server answers')
    expect(state.scene.value!.layers[0].name).toBe('a')
    await later(2000)
    expect(state.kept.value?.label).toBe('Undo')
    await later(4000)
    expect([state.scene.value!.layers[0].name, state.savingTrouble.value, state.unsaved.value]).toEqual(['dust', '', 0])
  })
  test('and redo that both wait do nothing', async () => {
    const { edit, saved, step, state } = bench()
    edit('Rename', rename('a'))
    await saved()
    server.faults = down(9)
    await step('undo')
    server.faults = []
    await step('redo')
    await later(60_000)
    expect([state.scene.value!.layers[0].name, names(), state.savingTrouble.value]).toEqual(['a', ['a'], ''])
  })
  test('that waits is dropped by an edit, and said', async () => {
    const { edit, saved, step, state } = bench()
    edit('Rename', rename('a'))
    await saved()
    server.faults = down(1)
    await step('undo')
    edit('Off', (scene) => (scene.layers[0].on = false))
    await later(60_000)
    expect(server.saved.at(-1)!.layers[0]).toMatchObject({ name: 'a', on: false })
    expect([state.kept.value, state.savingTrouble.value]).toEqual([undefined, ''])
  })
  test('twice in a row undoes twice', async () => {
    const { edit, saved, step, state } = bench()
    edit('One', rename('a'))
    edit('Two', rename('b'))
    await saved()
    void step('undo')
    await step('undo')
    expect(state.scene.value!.layers[0].name).toBe('dust')
  })
  test('takes a stroke that is still on its way first', async () => {
    const { edit, saved, step, state } = bench()
    edit('Rename', rename('a'))
    await saved()
    state.gestures.push({ label: 'Paint', gone: false })
    const mine = state.gestures[0]
    await step('undo')
    expect([mine.gone, state.scene.value!.layers[0].name, state.gestures.length]).toEqual([true, 'a', 0])
  })
})

describe('an edit that was refused', () => {
  test('is made again on the scene as it is now, one by one', async () => {
    const { edit, saved, state, makeAgain, dismiss } = bench()
    server.elsewhere(sceneOf(layer('rust')))
    edit('One', rename('a'))
    edit('Two', rename('b'))
    await saved()
    const [one, two] = state.unmade.value
    await makeAgain(one)
    expect(server.asked.at(-1)).toMatchObject({
      path: '/api/objects/1/edit',
      body: { base: 2, made_on: 1, name: 'set' },
    })
    expect(state.unmade.value).toEqual([two])
    dismiss(two)
    expect([state.unmade.value, localStorage['limus.unmade.1']]).toEqual([[], undefined])
  })
  test('and does not fit any more stays, with the reason', async () => {
    const { edit, saved, state, makeAgain } = bench()
    server.elsewhere(sceneOf(layer('rust')))
    edit('One', rename('a'))
    await saved()
    server.faults = [{ status: 422, body: { message: "layers 'Dust': is not there any more." } }]
    await makeAgain(state.unmade.value[0])
    expect([state.unmade.value.length, state.savingTrouble.value]).toEqual([1, "layers 'Dust': is not there any more."])
  })
})

test('the page warns before it is left while something is unsaved', async () => {
  const { edit, saved } = bench()
  const leave = () => {
    const event = new Event('beforeunload', { cancelable: true })
    window.dispatchEvent(event)
    return event.defaultPrevented
  }
  server.holds = '/edit'
  edit('One', rename('a'))
  await later()
  expect(leave()).toBe(true)
  server.go()
  await saved()
})
