import { describe, expect, test } from 'vitest'
import type { Entry, Scene } from '../src/api/scene'
import { episodes } from '../src/stores/work/episodes'
import { layers } from '../src/stores/work/layers'
import type { Verbs } from '../src/stores/work/state'
import { layer, opened, sceneOf } from './scenes'
import { Server } from './server'

/** Layers and episodes over a scene, whose edits are made at once. */
function bench(first: Scene) {
  const { state, verbs } = opened(new Server(first))
  const said: string[] = []
  verbs.edit = (label, change) => {
    said.push(label)
    change(state.scene.value!)
  }
  const made = { ...layers(state, verbs), ...episodes(state, verbs) }
  Object.assign(verbs, { settle: made.settle, referring: made.referring } satisfies Partial<Verbs>)
  const order = () => state.scene.value!.layers.map((l) => (l.episode ? `${l.id}@${l.episode}` : l.id))
  return { state, said, order, ...made }
}
const looksAt = (id: string, what: string, kind: 'layer' | 'exposed' = 'layer') =>
  layer(id, '', {
    where: { terms: [{ source: kind === 'exposed' ? { kind, what } : { kind, layer: what } }], cut: null } as never,
  })
const rust = {
  kind: 'rust',
  title: 'Rust',
  defaults: { years: 4, depth: 1 },
  where: { terms: [], cut: null },
} as unknown as Entry

describe('layers', () => {
  test('a new one comes last, is chosen, has a name of its own and the age of the place', () => {
    const { addLayer, state, order } = bench(sceneOf(layer('rust')))
    addLayer(rust)
    expect(order()).toEqual(['rust', 'rust-2'])
    expect(state.selectedId.value).toBe('rust-2')
    expect(state.scene.value!.layers[1]).toMatchObject({
      name: 'Rust 2',
      effect: { kind: 'rust', years: 10, depth: 1 },
    })
  })
  test('one that another looks at is not removed, and who does is said', () => {
    for (const user of [
      looksAt('dust', 'rust'),
      looksAt('dust', 'rust/stain'),
      looksAt('dust', 'rust/stain', 'exposed'),
    ]) {
      const { removeLayer, state, order } = bench(sceneOf(layer('rust'), user))
      removeLayer('rust')
      expect(order()).toEqual(['rust', 'dust'])
      expect(state.notice.value).toContain('dust has a line that looks at this layer')
    }
  })
  test('when one goes, its neighbour is chosen and the cut through time goes with it', () => {
    const { removeLayer, state, order } = bench(sceneOf(layer('a'), layer('b'), layer('c')))
    state.selectedId.value = state.until.value = 'b'
    removeLayer('b')
    expect([order(), state.selectedId.value, state.until.value]).toEqual([['a', 'c'], 'c', null])
  })
  test('a twin stands after the first and is another thing', () => {
    const { duplicateLayer, state, order } = bench(sceneOf(layer('dust'), layer('mud')))
    duplicateLayer('dust')
    expect(order()).toEqual(['dust', 'dust-2', 'mud'])
    state.scene.value!.layers[1].effect.size_mm = 3
    expect(state.scene.value!.layers[0].effect.size_mm).toBeUndefined()
  })
  test('moving to where it stands, or outside, is no step', () => {
    const { moveLayer, said } = bench(sceneOf(layer('a'), layer('b')))
    for (const to of [0, -1, 2]) moveLayer('a', to)
    expect(said).toEqual([])
  })
})

describe('episodes', () => {
  const two = () => sceneOf(layer('a'), layer('b', 'x'), layer('c', 'x'), layer('d', 'y'), layer('e', 'y'))
  test('a layer dropped between two of one belongs to it', () => {
    const { moveLayer, order } = bench(two())
    moveLayer('a', 1)
    expect(order()).toEqual(['b@x', 'a@x', 'c@x', 'd@y', 'e@y'])
  })
  test('a layer that leaves belongs to it no more; one left without layers goes', () => {
    const one = bench(sceneOf(layer('a', 'x'), layer('b'), layer('c')))
    one.join('a', '')
    expect([one.order(), one.state.scene.value!.episodes]).toEqual([['a', 'b', 'c'], []])
    const other = bench(two())
    other.moveLayer('b', 4)
    expect(other.order()).toEqual(['a', 'c@x', 'd@y', 'e@y', 'b'])
  })
  test('move as a whole, past another as a whole, there and back', () => {
    const { moveEpisode, order } = bench(two())
    moveEpisode('x', 1)
    expect(order()).toEqual(['a', 'd@y', 'e@y', 'b@x', 'c@x'])
    moveEpisode('x', -1)
    expect(order()).toEqual(['a', 'b@x', 'c@x', 'd@y', 'e@y'])
    moveEpisode('y', 1)
    expect(order()).toEqual(['a', 'b@x', 'c@x', 'd@y', 'e@y'])
  })
  test('doubled, lines among its layers look at the twins; lines to others stay', () => {
    const { duplicateEpisode, state, order } = bench(
      sceneOf(
        layer('base'),
        layer('rust', 'x'),
        { ...looksAt('dust', 'rust/stain'), episode: 'x' },
        {
          ...looksAt('mud', 'base'),
          episode: 'x',
        },
      ),
    )
    duplicateEpisode('x')
    expect(order().slice(4)).toEqual(['rust-2@episode-1', 'dust-2@episode-1', 'mud-2@episode-1'])
    const source = (k: number) => state.scene.value!.layers[k].where.terms[0].source.layer
    expect([source(2), source(5), source(6)]).toEqual(['rust/stain', 'rust-2/stain', 'base'])
  })
  test('dissolved, its layers stay; removed, they go, unless one outside looks at them', () => {
    const { dissolve, removeEpisode, order, state } = bench(two())
    dissolve('x')
    expect(order()).toEqual(['a', 'b', 'c', 'd@y', 'e@y'])
    removeEpisode('y')
    expect(order()).toEqual(['a', 'b', 'c'])
    expect(state.scene.value!.episodes).toEqual([])
    const held = bench(sceneOf(layer('rust', 'x'), looksAt('dust', 'rust')))
    held.removeEpisode('x')
    expect(held.order()).toEqual(['rust@x', 'dust'])
    expect(held.state.notice.value).toContain('dust has a line')
  })
})
