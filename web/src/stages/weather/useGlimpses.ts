import { reactive, ref } from 'vue'
import { api, messageOf } from '../../api/client'
import { useWork } from '../../stores/work'

export interface Glimpse {
  picture: string
  note: string
}

/**
 * Small pictures of what effects and treatments would do to this very object: made one after the other in the
 * background, for as long as the dialog is open.
 */
export function useGlimpses() {
  const work = useWork()
  const found = reactive(new Map<string, Glimpse>())
  const trouble = ref('')
  let ticket = 0
  let abort: AbortController | undefined
  /** What the pictures that are here were made of: object, scene and readings. */
  let madeOf = ''

  async function begin(wanted: { key: string; kind?: string; treatment?: string }[]) {
    stop()
    const item = work.object
    if (!item || !work.scene || item.readings === 'missing') return
    const state = JSON.stringify([item.id, item.readings, work.scene])
    if (state !== madeOf) found.clear()
    madeOf = state
    const mine = ++ticket
    abort = new AbortController()
    const { signal } = abort
    trouble.value = ''
    for (const { key, kind = '', treatment = '' } of wanted) {
      if (found.has(key)) continue
      if (signal.aborted) return
      try {
        const { data, error, response } = await work.askedOn((about) =>
          api.POST('/api/objects/{object_id}/glimpse', {
            params: { path: { object_id: item.id } },
            body: { ...about, kind, treatment, client: work.client, ticket: mine },
            signal,
          }),
        )
        if (data) found.set(key, data)
        else if (response.status !== 409) trouble.value = messageOf(error)
      } catch {
        if (signal.aborted) return
        trouble.value = 'The pictures could not be made: the server did not answer.'
        return
      }
    }
  }
  /** The dialog closed: what is under way on the server stops as well. */
  function stop() {
    if (!abort) return
    abort.abort()
    abort = undefined
    const id = work.object?.id
    if (id)
      void api.DELETE('/api/objects/{object_id}/glimpse', {
        params: { path: { object_id: id }, query: { client: work.client, ticket: ++ticket } },
      })
  }
  return { found, trouble, begin, stop }
}
