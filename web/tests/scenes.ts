import type { Layer, ObjectOut, Scene } from '../src/api/scene'
import type { Server } from './server'
import { stateOf, type Verbs } from '../src/stores/work/state'

export const layer = (id: string, episode = '', more: Partial<Layer> = {}): Layer =>
  ({
    id,
    name: id,
    on: true,
    effect: { kind: id.split('-')[0] },
    where: { terms: [], cut: null },
    strength: 1,
    channels: {},
    episode,
    since: 0,
    fixed: false,
    ...more,
  }) as unknown as Layer
export const episode = (id: string) =>
  ({ id, name: id, on: true, strength: 1, where: { terms: [], cut: null }, folded: false }) as Scene['episodes'][0]
export const sceneOf = (...layers: Layer[]): Scene =>
  ({
    name: 'Try',
    object: {},
    setting: { years: 10 },
    layers,
    episodes: [...new Set(layers.map((l) => l.episode))].filter(Boolean).map(episode),
    year: null,
  }) as unknown as Scene

/** The state with this server's object in it, and the other parts of the store played by what a test gives. */
export function opened(server: Server, verbs: Partial<Verbs> = {}) {
  const state = stateOf()
  const nothing = () => undefined
  const all = {
    full: nothing,
    sharp: nothing,
    lightly: nothing,
    preview: nothing,
    measure: nothing,
    asked: () => ({ base: server.at, edits: [] }),
    ...verbs,
  } as unknown as Verbs
  state.object.value = { id: 1, readings: 'good', scale: 1 } as unknown as ObjectOut
  state.version.value = server.version as never
  state.scene.value = JSON.parse(JSON.stringify(server.version.document))
  return { state, verbs: all }
}
