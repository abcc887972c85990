import type { Entry, Layer, Recipe } from '../../api/scene'
import { copy, type State, type Verbs } from './state'

/** Layers of the chronicle. */
export function layers(s: State, w: Verbs) {
  const { scene, selectedId, selectedTerm, selectedEpisode, until, notice } = s
  function freshId(kind: string): string {
    const taken = new Set(scene.value?.layers.map((l) => l.id))
    for (let k = 1; ; k++) {
      const id = k === 1 ? kind : `${kind}-${k}`
      if (!taken.has(id)) return id
    }
  }
  /** A new layer has the age of the place it stands in. */
  const aged = (effect: Entry) =>
    'years' in (effect.defaults ?? {}) ? { years: Number(scene.value?.setting.years ?? 10) } : {}
  function addLayer(effect: Entry, more: Partial<Layer> = {}) {
    w.edit(`Add ${effect.title.toLowerCase()}`, (now) => {
      const id = freshId(effect.kind)
      const same = now.layers.filter((l) => l.effect.kind === effect.kind).length
      now.layers.push({
        id,
        name: same ? `${effect.title} ${same + 1}` : effect.title,
        on: true,
        effect: {
          ...copy(effect.defaults),
          ...s.evaluation.value?.fresh?.[effect.kind],
          ...aged(effect),
          kind: effect.kind,
        },
        where: copy(effect.where) as unknown as Recipe,
        strength: 1,
        channels: {},
        episode: '',
        since: 0,
        fixed: false,
        ...more,
      })
      selectedEpisode.value = ''
      selectedId.value = id
      selectedTerm.value = -1
      until.value = null
    })
  }
  function duplicateLayer(id: string) {
    w.edit('Duplicate layer', (now) => {
      const k = now.layers.findIndex((l) => l.id === id)
      const twin = copy(now.layers[k])
      twin.id = freshId(twin.effect.kind)
      twin.name = `${twin.name} copy`.slice(0, 80)
      now.layers.splice(k + 1, 0, twin)
      selectedId.value = twin.id
    })
  }
  /** Lines of recipes that look at a layer, so that nothing is left pointing at nothing. */
  function referring(id: string): string[] {
    return (scene.value?.layers ?? [])
      .filter(
        (l) =>
          l.id !== id &&
          l.where.terms.some(
            (t) => String((t.source.kind === 'exposed' ? t.source.what : t.source.layer) ?? '').split('/')[0] === id,
          ),
      )
      .map((l) => l.name)
  }
  function removeLayer(id: string) {
    const users = referring(id)
    if (users.length) {
      notice.value = `${users.join(', ')} has a line that looks at this layer. Change that line first, then remove the layer.`
      return
    }
    w.edit('Remove layer', (now) => {
      const k = now.layers.findIndex((l) => l.id === id)
      now.layers.splice(k, 1)
      if (selectedId.value === id) selectedId.value = now.layers[Math.min(k, now.layers.length - 1)]?.id ?? ''
      if (until.value === id) until.value = null
    })
  }
  function switchLayer(id: string, on: boolean) {
    w.edit(on ? 'Switch on' : 'Switch off', (now) => (now.layers.find((l) => l.id === id)!.on = on))
  }
  function moveLayer(id: string, to: number) {
    const layers = scene.value?.layers ?? []
    const from = layers.findIndex((l) => l.id === id)
    if (to < 0 || to >= layers.length || from === to) return
    w.edit('Move layer', (now) => {
      now.layers.splice(to, 0, ...now.layers.splice(from, 1))
      w.settle(now)
    })
  }

  return { addLayer, duplicateLayer, referring, removeLayer, switchLayer, moveLayer }
}
