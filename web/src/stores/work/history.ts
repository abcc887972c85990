import type { Sent } from '../../api/scene'
import { useEventListener } from '@vueuse/core'
import { api, messageOf } from '../../api/client'
import type { Scene, VersionOut } from '../../api/scene'
import { copy, type State, type Verbs } from './state'

/** The document and its history: edits, saved one after the other, undo and redo. */
export function history(s: State, w: Verbs) {
  const {
    object,
    scene,
    version,
    selectedId,
    selectedTerm,
    selectedEpisode,
    until,
    unsaved,
    savingTrouble,
    kept,
    trouble,
    notice,
    selected,
  } = s
  // ---- history ---------------------------------------------------------------------------------------------------------
  function take(found: VersionOut) {
    reading++
    version.value = found
    scene.value = copy(found.document) as Scene
    if (!scene.value.layers.some((l) => l.id === selectedId.value))
      selectedId.value = scene.value.layers.at(-1)?.id ?? ''
    const stands = JSON.stringify([scene.value.object, scene.value.setting])
    if (stood && stands !== stood) void refresh()
    stood = stands
    if (until.value && !scene.value.layers.some((l) => l.id === until.value)) until.value = null
    if (!scene.value.episodes.some((e) => e.id === selectedEpisode.value)) selectedEpisode.value = ''
    selectedTerm.value = Math.min(selectedTerm.value, (selected.value?.where.terms.length ?? 0) - 1)
  }

  /** The object and its setting as they were last: when they change, facts and readings are asked for again. */
  let stood = ''
  /** Another object is opened. */
  function anew() {
    stood = ''
  }

  /** Change what the object is or where it stands; facts and readings follow once it is saved. */
  async function editObject(label: string, change: (scene: Scene) => void) {
    if (!scene.value) return
    change(scene.value)
    stood = JSON.stringify([scene.value.object, scene.value.setting])
    await commit(label)
    await refresh()
  }

  /** Facts, shape and readings of the object as it is saved now; measures where they are missing or out of date. */
  async function refresh() {
    const id = object.value?.id
    if (!id) return
    await saved()
    const { data, error } = await api.GET('/api/objects/{object_id}', { params: { path: { object_id: id } } })
    if (object.value?.id !== id) return
    if (!data) {
      trouble.value = messageOf(error)
      return
    }
    object.value = data
    await w.fit(data.diagonal_m)
    w.full()
    if (!['good', 'fine'].includes(data.readings)) void w.measure()
  }

  let queue: Promise<unknown> = Promise.resolve()
  /** Requests that change the scene go one after the other, so that each knows the version it is made on. */
  function inOrder<T>(work: () => Promise<T>): Promise<T> {
    const result = queue.then(work, work)
    queue = result.catch(() => undefined)
    return result
  }

  /** Resolves when every edit made so far is saved. */
  const saved = () => queue.then(() => undefined)

  /**
   * Counts the times that a scene came from the server. Edits stand on each other only within one reading: a document that was made on
   * an older one is never sent, or it would write over what somebody else did meanwhile.
   */
  let reading = 0

  // ---- what the server did not take ----------------------------------------------------------------------------------
  /** Where an edit that could not be saved waits, so that it outlives this page. */
  const place = (id: number) => `limus.kept.${id}`
  let retry: ReturnType<typeof setTimeout> | undefined
  let patience = 0

  /** Keep everything that is not saved, say so, and try again in a while; less often the longer it takes. */
  function keep(label: string, why: string) {
    const id = object.value?.id
    if (!id || !version.value) return
    kept.value = { label, why }
    savingTrouble.value = `'${label}' is not saved yet: ${why} It is kept here and sent again by itself.`
    try {
      localStorage.setItem(
        place(id),
        JSON.stringify({ base: version.value.version, label, document: copy(scene.value) }),
      )
    } catch {
      // This browser has no room either; the page itself still holds it.
    }
    clearTimeout(retry)
    patience = Math.min(patience + 1, 5)
    retry = setTimeout(() => void sendKept(), 1000 * 2 ** patience)
  }

  function settled(id: number) {
    clearTimeout(retry)
    patience = 0
    localStorage.removeItem(place(id))
    if (!kept.value) return
    kept.value = undefined
    savingTrouble.value = ''
    notice.value = 'Saved now, with everything that was kept here.'
  }

  /** Send what is kept once more, now. */
  function sendKept() {
    if (!kept.value) return
    return send(kept.value.label, copy(scene.value), reading)
  }

  /** After an object was opened: what an earlier visit could not save is taken up again, where nothing else happened since. */
  function takeUpKept() {
    kept.value = undefined
    savingTrouble.value = ''
    patience = 0
    clearTimeout(retry)
    const id = object.value?.id
    const text = id ? localStorage.getItem(place(id)) : null
    if (!id || !text) return
    localStorage.removeItem(place(id))
    try {
      const found = JSON.parse(text) as { base: number; label: string; document: Scene }
      if (found.base !== version.value?.version) {
        notice.value = `'${found.label}' could not be saved last time, and the scene was changed since. Make it again.`
        return
      }
      scene.value = found.document
      notice.value = `'${found.label}' could not be saved last time; it was kept here and is sent again.`
      void commit(found.label)
    } catch {
      // What stands there is not ours.
    }
  }
  useEventListener(window, 'beforeunload', (event) => {
    if (kept.value || unsaved.value) event.preventDefault()
  })

  function send(label: string, document: Scene | undefined, madeOn: number) {
    const item = object.value
    unsaved.value++
    return inOrder(async () => {
      try {
        if (!item || !version.value || item.id !== object.value?.id) return
        if (madeOn !== reading) {
          notice.value = `'${label}' was not saved: the scene was changed in another window just before. Make it again.`
          return
        }
        const { data, error, response } = await api.PUT('/api/objects/{object_id}/scene', {
          params: { path: { object_id: item.id } },
          body: { base: version.value.version, document: document as unknown as Sent, label },
        })
        if (item.id !== object.value?.id) return
        if (data) {
          // The document here may be newer already (another control was moved meanwhile): keep it.
          version.value = data
          settled(item.id)
          savingTrouble.value = ''
        } else if (response.status === 409 && error && 'scene' in error) {
          // The refusal brings the newest scene along: nothing is asked for, nothing is waited for.
          settled(item.id)
          notice.value = error.message
          take(error.scene)
          w.full()
        } else if (response.status >= 500) {
          // Its fault, not that of the edit: nothing is taken back.
          keep(label, messageOf(error, 'the server failed.'))
        } else {
          // Refused for good; what stands there is what was saved before, and the message says why.
          settled(item.id)
          await reload()
          savingTrouble.value = messageOf(error)
        }
      } catch {
        keep(label, 'the server did not answer. Check that it is running.')
      } finally {
        unsaved.value--
      }
    })
  }

  /** Save what `scene` holds now as a new version. */
  function commit(label: string, light = false) {
    if (light) w.lightly()
    else w.full()
    return send(label, copy(scene.value), reading)
  }

  /** Change the scene in one step and save it. */
  function edit(label: string, change: (scene: Scene) => void, light = false) {
    if (!scene.value) return
    change(scene.value)
    void commit(label, light)
  }

  function step(direction: 'undo' | 'redo') {
    return inOrder(async () => {
      if (!object.value || !version.value) return
      const { data, error, response } = await api.POST(
        direction === 'undo' ? '/api/objects/{object_id}/undo' : '/api/objects/{object_id}/redo',
        {
          params: { path: { object_id: object.value.id } },
          body: { base: version.value.version },
        },
      )
      if (data) take(data)
      else if (response.status === 409 && error && 'scene' in error) {
        notice.value = error.message
        take(error.scene)
      } else trouble.value = messageOf(error, 'The server did not answer. Nothing was undone; try again.')
      w.full()
    })
  }

  /** The scene as it is saved now; where the object or its setting changed, what follows from them is asked for again. */
  async function reload() {
    const id = object.value?.id
    if (!id) return
    const { data } = await api.GET('/api/objects/{object_id}/scene', { params: { path: { object_id: id } } })
    if (!data || object.value?.id !== id) return
    take(data)
    w.full()
  }

  return {
    anew,
    takeUpKept,
    sendKept,
    take,
    editObject,
    refresh,
    saved,
    commit,
    edit,
    step,
    reload,
  }
}
