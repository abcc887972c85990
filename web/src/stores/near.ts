import { computed, ref, watch, type Ref } from 'vue'
import { api } from '../api/client'
import type { Near } from '../api/scene'
import { during } from '../rest'
import { useWork } from './work'

/** What stands or marks areas near the object, with its pieces; asked for again where what was saved of it changes. */
export function useNear(): Ref<Near[]> {
  const work = useWork()
  const near = ref<Near[]>([])
  const placed = computed(() => JSON.stringify((work.scene?.object.neighbours ?? []).map((n) => [n.id, n.file, n.on])))
  let known = ''
  watch(
    [placed, () => work.saving],
    async ([now, saving]) => {
      const id = work.object?.id
      if (!id || saving || now === known) return
      known = now
      if (now === '[]') {
        near.value = []
        return
      }
      const { data } = await during(
        'the neighbours',
        api.GET('/api/objects/{object_id}/neighbours', { params: { path: { object_id: id } } }),
      )
      near.value = (data as Near[] | undefined) ?? near.value
    },
    { immediate: true },
  )
  return near
}
