import { computed } from 'vue'
import type { Snapshot } from '../../api/scene'
import { useWork } from '../../stores/work'

/** States of the surface to come back to: which layers and episodes are on, and the year. */
export function useSnapshots() {
  const work = useWork()
  const snapshots = computed<Snapshot[]>(() => work.scene?.snapshots ?? [])
  const current = computed(() => snapshots.value.find((s) => s.id === work.version?.snapshot))
  function go(snapshot: string) {
    const found = snapshots.value.find((s) => s.id === snapshot)
    if (found && found !== current.value) void work.run('go-to-snapshot', { snapshot }, `Snapshot ${found.name}`)
  }
  /** One of this name is brought up to what is shown now. */
  const keep = (name: string) => work.run('keep-snapshot', { name })
  const remove = (snapshot: string) => work.run('remove-snapshot', { snapshot })
  return { snapshots, current, go, keep, remove }
}
