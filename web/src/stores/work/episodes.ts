import type { Episode, Layer, Scene } from '../../api/scene'
import { copy, type State, type Verbs } from './state'

/** Episodes: layers under one bracket. */
export function episodes(s: State, w: Verbs) {
  const { scene, selectedId, selectedEpisode, until, notice } = s
  /** After layers were moved: one between two of an episode belongs to it, one that has left its episode does not, and empty ones go. */
  function settle(now: Scene) {
    const { layers } = now
    layers.forEach((layer, k) => {
      const [before, after] = [layers[k - 1]?.episode ?? '', layers[k + 1]?.episode ?? '']
      if (before && before === after) layer.episode = before
    })
    // Of an episode that came apart the longest run stays.
    for (const { id } of now.episodes) {
      const runs: Layer[][] = []
      layers.forEach((layer, k) => {
        if (layer.episode !== id) return
        if (layers[k - 1]?.episode === id) runs.at(-1)!.push(layer)
        else runs.push([layer])
      })
      const longest = runs.reduce<Layer[]>((best, run) => (run.length > best.length ? run : best), [])
      for (const run of runs) if (run !== longest) run.forEach((layer) => (layer.episode = ''))
    }
    now.episodes = now.episodes.filter((e) => layers.some((l) => l.episode === e.id))
  }
  function freshEpisode(now: Scene): string {
    const taken = new Set(now.episodes.map((e) => e.id))
    for (let k = 1; ; k++) if (!taken.has(`episode-${k}`)) return `episode-${k}`
  }
  /** A bracket over these layers, which stand next to each other. */
  function gather(ids: string[], name = 'Episode') {
    w.edit('New episode', (now) => {
      const id = freshEpisode(now)
      now.layers.forEach((l) => ids.includes(l.id) && (l.episode = id))
      now.episodes.push({ id, name, on: true, strength: 1, where: { terms: [], cut: null }, folded: false })
      settle(now)
      selectedEpisode.value = id
    })
  }
  function join(layerId: string, episodeId: string) {
    w.edit(episodeId ? 'Into episode' : 'Out of episode', (now) => {
      now.layers.find((l) => l.id === layerId)!.episode = episodeId
      settle(now)
    })
  }
  const members = (id: string) => (scene.value?.layers ?? []).filter((l) => l.episode === id)
  function editEpisode(id: string, label: string, change: (episode: Episode) => void) {
    w.edit(label, (now) => {
      const found = now.episodes.find((e) => e.id === id)
      if (found) change(found)
    })
  }
  /** The bracket goes, its layers stay. */
  function dissolve(id: string) {
    selectedEpisode.value = ''
    w.edit('Dissolve episode', (now) => {
      now.layers.forEach((l) => l.episode === id && (l.episode = ''))
      now.episodes = now.episodes.filter((e) => e.id !== id)
    })
  }
  function removeEpisode(id: string) {
    const mine = members(id)
    const users = mine.flatMap((l) => w.referring(l.id)).filter((name) => !mine.some((l) => l.name === name))
    if (users.length) {
      notice.value = `${users.join(', ')} has a line that looks at a layer of this episode. Change that line first.`
      return
    }
    selectedEpisode.value = ''
    w.edit('Remove episode', (now) => {
      now.layers = now.layers.filter((l) => l.episode !== id)
      now.episodes = now.episodes.filter((e) => e.id !== id)
      if (!now.layers.some((l) => l.id === selectedId.value)) selectedId.value = now.layers.at(-1)?.id ?? ''
      if (until.value && !now.layers.some((l) => l.id === until.value)) until.value = null
    })
  }
  function duplicateEpisode(id: string) {
    w.edit('Duplicate episode', (now) => {
      const mine = now.layers.filter((l) => l.episode === id)
      const last = now.layers.indexOf(mine.at(-1)!)
      const twin = copy(now.episodes.find((e) => e.id === id)!)
      twin.id = freshEpisode(now)
      twin.name = `${twin.name} copy`.slice(0, 80)
      const names = new Map<string, string>()
      const taken = new Set(now.layers.map((l) => l.id))
      const twins = mine.map((layer) => {
        const made = copy(layer)
        let k = 2
        while (taken.has(`${layer.effect.kind}-${k}`)) k++
        made.id = `${layer.effect.kind}-${k}`
        taken.add(made.id)
        names.set(layer.id, made.id)
        made.episode = twin.id
        return made
      })
      // Lines among themselves go with them.
      for (const layer of twins)
        for (const term of layer.where.terms) {
          const field = term.source.kind === 'exposed' ? 'what' : 'layer'
          const [name, piece] = String(term.source[field] ?? '').split('/')
          if (names.has(name)) term.source[field] = piece ? `${names.get(name)}/${piece}` : names.get(name)
        }
      now.layers.splice(last + 1, 0, ...twins)
      now.episodes.push(twin)
      selectedEpisode.value = twin.id
    })
  }
  /** Before or after whatever stands next to it, another episode as a whole. */
  function moveEpisode(id: string, by: -1 | 1) {
    const layers = scene.value?.layers ?? []
    const mine = members(id)
    const at = by < 0 ? layers.indexOf(mine[0]) - 1 : layers.indexOf(mine.at(-1)!) + 1
    const next = layers[at]
    if (!next) return
    const group = next.episode ? members(next.episode) : [next]
    w.edit('Move episode', (now) => {
      const rest = now.layers.filter((l) => l.episode !== id)
      const own = now.layers.filter((l) => l.episode === id)
      const edge = rest.findIndex((l) => l.id === (by < 0 ? group[0] : group.at(-1)!).id)
      rest.splice(by < 0 ? edge : edge + 1, 0, ...own)
      now.layers = rest
    })
  }

  return { settle, gather, join, members, editEpisode, dissolve, removeEpisode, duplicateEpisode, moveEpisode }
}
