// @vitest-environment happy-dom
import './api'
import { beforeEach, describe, expect, test } from 'vitest'
import { evaluating } from '../src/stores/work/evaluating'
import { history } from '../src/stores/work/history'
import type { Verbs } from '../src/stores/work/state'
import { layer, opened, sceneOf } from './scenes'
import { Server } from './server'

let server: Server
beforeEach(() => {
  localStorage.clear()
  server = new Server(sceneOf(layer('dust'), layer('rust')))
  server.does = {
    add: (now) => {
      now.layers.push(layer('moss'))
      return { layer: 'moss' }
    },
    remove: (now) => {
      now.layers.shift()
      return { instead: 'rust' }
    },
  }
})
/** The document and its questions, as the store puts them together. */
function bench() {
  const { state, verbs } = opened(server)
  const asks = evaluating(state, verbs as Verbs)
  const made = history(state, verbs as Verbs)
  Object.assign(verbs, { asked: made.asked, saved: made.saved })
  made.take(server.version as never)
  return { state, ...asks, ...made }
}
const rest = () => new Promise((done) => setTimeout(done, 20))
const evaluations = () => server.asked.filter((a) => a.path.endsWith('/evaluate')).map((a) => a.body)

describe('a question', () => {
  test('carries what is dragged and no document', async () => {
    const { state, preview } = bench()
    state.scene.value!.layers[0].strength = 0.4
    preview()
    await rest()
    expect(evaluations()[0]).toMatchObject({
      base: 1,
      edits: [{ name: 'set', arguments: { values: { 'layers[dust].strength': 0.4 }, drop: [] } }],
    })
    expect(evaluations()[0]).not.toHaveProperty('document')
  })
  test('carries edits that wait, in their order, and what is dragged behind them', async () => {
    const { state, run, edit, preview, saved } = bench()
    server.holds = '/edit'
    void run('add', { effect: 'moss' })
    edit('Rename', (now) => (now.layers[0].name = 'a'))
    state.scene.value!.layers[0].strength = 0.4
    preview()
    await rest()
    expect(evaluations()[0]).toMatchObject({ base: 1 })
    expect((evaluations()[0].edits as { name: string }[]).map((e) => e.name)).toEqual(['add', 'set', 'set'])
    server.holds = ''
    server.go()
    await saved()
    expect(server.saved.at(-1)!.layers.map((l) => [l.name, l.strength])).toEqual([
      ['a', 1],
      ['rust', 1],
      ['moss', 1],
    ])
    // What is dragged is still in the hand.
    expect(state.scene.value!.layers[0].strength).toBe(0.4)
  })
  test('on a version that the server does not hold is asked once more with the document, unseen', async () => {
    const { state, preview } = bench()
    server.faults = [{ status: 410, body: { message: 'gone' } }]
    state.scene.value!.layers[0].strength = 0.4
    preview()
    await rest()
    expect(evaluations().length).toBe(2)
    expect(evaluations()[1].edits).toEqual([])
    expect((evaluations()[1].document as { layers: { strength: number }[] }).layers[0].strength).toBe(0.4)
    expect(state.trouble.value).toBe('')
  })
})

describe('an answer', () => {
  test('brings what the core did, and what was made is selected', async () => {
    const { state, run } = bench()
    await run('add', { effect: 'moss' })
    expect(state.scene.value!.layers.map((l) => l.id)).toEqual(['dust', 'rust', 'moss'])
    expect(state.selectedId.value).toBe('moss')
    state.selectedId.value = 'dust'
    await run('remove', { layer: 'dust' })
    expect([state.scene.value!.layers.map((l) => l.id), state.selectedId.value]).toEqual([['rust', 'moss'], 'rust'])
  })
  test('that removes something else leaves what is selected', async () => {
    const { state, run } = bench()
    state.selectedId.value = 'rust'
    await run('remove', { layer: 'dust' })
    expect(state.selectedId.value).toBe('rust')
  })
  test('keeps what did not change as it is on the screen', async () => {
    const { state, edit, saved } = bench()
    const before = state.scene.value!.layers[1]
    edit('Rename', (now) => (now.layers[0].name = 'a'))
    await saved()
    expect(state.scene.value!.layers[1]).toBe(before)
  })
  test('says what could not be done as asked', async () => {
    const { state, run, commit, saved } = bench()
    server.faults = [{ status: 422, body: { message: 'Winter has a line that looks at this layer.' } }]
    await run('remove', { layer: 'dust' })
    expect(state.trouble.value).toContain('Winter has a line')
    expect(state.scene.value!.layers.length).toBe(2)
    // Nothing was changed: nothing is saved.
    const count = server.asked.filter((a) => a.path.endsWith('/edit')).length
    void commit('Nothing')
    await saved()
    expect(server.asked.filter((a) => a.path.endsWith('/edit')).length).toBe(count)
  })
})
