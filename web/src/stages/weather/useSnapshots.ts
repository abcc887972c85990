import { computed } from 'vue'
import type { Snapshot } from '../../api/scene'
import { useWork } from '../../stores/work'

const same = (a: string[], b: string[]) => a.length === b.length && a.every((x) => b.includes(x))

/** States of the surface to come back to: which layers and episodes are on, and the year. */
export function useSnapshots() {
  const work = useWork()
  const snapshots = computed<Snapshot[]>(() => work.scene?.snapshots ?? [])
  const off = (list: { id: string; on: boolean }[] | undefined) => (list ?? []).filter((x) => !x.on).map((x) => x.id)
  /** Layers that are gone do not count. */
  const still = (ids: string[], list: { id: string }[] | undefined) =>
    ids.filter((id) => (list ?? []).some((x) => x.id === id))
  const current = computed(() => {
    const scene = work.scene
    if (!scene) return undefined
    return snapshots.value.find(
      (s) =>
        same(still(s.layers_off, scene.layers), off(scene.layers)) &&
        same(still(s.episodes_off, scene.episodes), off(scene.episodes)) &&
        s.year === scene.year,
    )
  })
  function go(id: string) {
    const found = snapshots.value.find((s) => s.id === id)
    if (!found || found === current.value) return
    work.edit(`Snapshot ${found.name}`, (now) => {
      now.layers.forEach((l) => (l.on = !found.layers_off.includes(l.id)))
      now.episodes.forEach((e) => (e.on = !found.episodes_off.includes(e.id)))
      now.year = found.year
    })
  }
  function keep(name: string) {
    work.edit('Keep snapshot', (now) => {
      const taken = new Set(now.snapshots.map((s) => s.id))
      let k = 1
      while (taken.has(`snapshot-${k}`)) k++
      const state = { layers_off: off(now.layers), episodes_off: off(now.episodes), year: now.year }
      const known = now.snapshots.find((s) => s.name === name)
      // One of this name is brought up to what is shown now.
      if (known) Object.assign(known, state)
      else now.snapshots.push({ id: `snapshot-${k}`, name, ...state })
    })
  }
  function remove(id: string) {
    work.edit('Remove snapshot', (now) => (now.snapshots = now.snapshots.filter((s) => s.id !== id)))
  }
  return { snapshots, current, go, keep, remove }
}
