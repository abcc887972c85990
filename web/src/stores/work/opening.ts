import { api, messageOf } from '../../api/client'
import type { Catalogue, ObjectOut } from '../../api/scene'
import { LIT, type State, type Verbs } from './state'

/** Projects, the catalogue, and opening an object. */
export function opening(s: State, w: Verbs) {
  const {
    projects,
    catalogue,
    object,
    scene,
    version,
    evaluation,
    selectedId,
    selectedTerm,
    look,
    until,
    trouble,
    demo,
  } = s
  /** Who is here and what there is; an object that is opened brings the catalogue of its own size. */
  async function start(opens = false) {
    const [first, session] = await Promise.all([
      api.GET('/api/projects'),
      api.GET('/api/session'),
      catalogue.value || opens ? undefined : fit(1),
    ])
    demo.value = session.data?.demo ?? demo.value
    if (first.data) projects.value = first.data
    if (!first.data) trouble.value = messageOf(first.error)
  }

  let fitted = 0
  /** The catalogue with defaults that suit an object of this size in metres. */
  async function fit(size: number) {
    if (size === fitted) return
    const { data } = await api.GET('/api/catalogue', { params: { query: { size_m: size } } })
    if (!data) return
    fitted = size
    catalogue.value = data as Catalogue
  }

  async function open(id: number): Promise<boolean> {
    if (object.value?.id === id) return true
    s.opening.value = id
    try {
      return await reallyOpen(id)
    } finally {
      if (s.opening.value === id) s.opening.value = 0
    }
  }
  async function reallyOpen(id: number): Promise<boolean> {
    const begun = catalogue.value ? undefined : start(true)
    // What is on its way to the object before arrives first; a server that is away is not waited for.
    if (object.value) await Promise.race([w.saved(), new Promise((go) => setTimeout(go, 2000))])
    const { data, error, response } = await api.GET('/api/objects/{object_id}', { params: { path: { object_id: id } } })
    if (!data) {
      await begun
      if (!catalogue.value) await fit(1)
      trouble.value = response.status === 404 ? 'This object does not exist any more.' : messageOf(error)
      return false
    }
    await Promise.all([fit(data.diagonal_m), begun])
    evaluation.value = undefined
    w.anew()
    object.value = data
    localStorage.setItem('limus.object', String(id))
    look.value = { ...LIT }
    until.value = null
    selectedId.value = ''
    selectedTerm.value = -1
    w.take(data.scene)
    w.takeUpKept()
    s.unwrapping.value = undefined
    if (data.unwrapping) void w.followUnwrapping(data.unwrapping)
    void lookAt(data)
    return true
  }

  /**
   * What it looked like last at once, else from coarse to sharp; readings that are not there yet are measured behind
   * that.
   */
  async function lookAt(data: ObjectOut) {
    if (data.readings !== 'missing' && !(await w.showLast(data.id, data.scene.version))) w.climb()
    else w.full()
    if (!['good', 'fine'].includes(data.readings) && object.value?.id === data.id) void w.measure()
  }

  /** Vertex colours were painted on an object that had none. */
  function colouredNow() {
    if (!object.value?.missing_readings.vertex_colour) return
    const missing = { ...object.value.missing_readings }
    delete missing.vertex_colour
    object.value = { ...object.value, missing_readings: missing }
  }

  /** The object was removed. */
  function forget(id: number) {
    if (object.value?.id !== id) return
    object.value = undefined
    scene.value = undefined
    version.value = undefined
    evaluation.value = undefined
  }

  return { start, fit, open, colouredNow, forget }
}
