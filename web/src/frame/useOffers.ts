import { useDocumentVisibility, useIntervalFn } from '@vueuse/core'
import { watch } from 'vue'
import { useWork } from '../stores/work'

/** Look at what programs brought for the open object: now, and every twenty seconds while somebody sees the page. */
export function useOffers(look: (object: number) => Promise<void>) {
  const work = useWork()
  const visible = useDocumentVisibility()
  const once = () => {
    const id = work.object?.id
    if (id && visible.value === 'visible') void look(id)
  }
  watch([() => work.object?.id, visible], once, { immediate: true })
  useIntervalFn(once, 20_000)
}
