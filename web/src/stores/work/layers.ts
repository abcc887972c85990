import type { State, Verbs } from './state'

/** Layers of the chronicle. */
export function layers(s: State, w: Verbs) {
  const { scene } = s
  /** One more, after everything; `fields` of its effect that differ from its own. */
  const addLayer = (effect: string, fields: Record<string, unknown> = {}) => w.run('add', { effect, fields })
  const duplicateLayer = (layer: string) => w.run('duplicate', { layer })
  const removeLayer = (layer: string) => w.run('remove', { layer })
  const renameLayer = (layer: string, name: string) => w.run('rename', { layer, name })
  const resetLayer = (layer: string) => w.run('reset', { layer })
  function switchLayer(id: string, on: boolean) {
    w.edit(on ? 'Switch on' : 'Switch off', (now) => (now.layers.find((l) => l.id === id)!.on = on))
  }
  function moveLayer(layer: string, to: number) {
    if (to >= 0 && to < (scene.value?.layers.length ?? 0)) void w.run('move', { layer, to })
  }
  /** The cards were put into another order by hand. */
  function orderLayers(order: string[]) {
    const now = (scene.value?.layers ?? []).map((l) => l.id)
    if (order.join() === now.join()) return
    // One that was moved is told from several: it decides by itself which episode it belongs to.
    const without = (list: string[], id: string) => list.filter((x) => x !== id).join()
    const moved = now.find((id) => without(now, id) === without(order, id))
    if (moved) void w.run('move', { layer: moved, to: order.indexOf(moved) })
    else void w.run('order', { layers: order })
  }

  return { addLayer, duplicateLayer, removeLayer, renameLayer, resetLayer, switchLayer, moveLayer, orderLayers }
}
