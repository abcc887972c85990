import type { State, Verbs } from './state'

/** Episodes: layers under one bracket. */
export function episodes(s: State, w: Verbs) {
  const { scene } = s
  const members = (id: string) => (scene.value?.layers ?? []).filter((l) => l.episode === id)
  const gather = (layers: string[], name = 'Episode') => w.run('gather', { layers, name })
  const join = (layer: string, episode: string) => w.run('join', { layer, episode })
  const splitEpisode = (layer: string) => w.run('split', { layer })
  const fold = (episode: string, folded: boolean) => w.run('fold', { episode, folded })
  const renameEpisode = (episode: string, name: string) => w.run('rename-episode', { episode, name })
  const moveEpisode = (episode: string, way: 'earlier' | 'later') => w.run('move-episode', { episode, way })
  const duplicateEpisode = (episode: string) => w.run('duplicate-episode', { episode })
  const dissolve = (episode: string) => w.run('dissolve', { episode })
  const removeEpisode = (episode: string) => w.run('remove-episode', { episode })
  function switchEpisode(id: string, on: boolean) {
    w.edit(on ? 'Switch on' : 'Switch off', (now) => (now.episodes.find((e) => e.id === id)!.on = on))
  }

  return {
    members,
    gather,
    join,
    splitEpisode,
    fold,
    renameEpisode,
    moveEpisode,
    duplicateEpisode,
    dissolve,
    removeEpisode,
    switchEpisode,
  }
}
