import { useEventListener } from '@vueuse/core'
import { computed } from 'vue'
import { api, messageOf } from '../../api/client'
import type { EditOut, Scene, VersionOut } from '../../api/scene'
import { isNothing } from '../../api/difference'
import { during } from '../../rest'
import { documentOf } from './document'
import { copy, type State, type Verbs } from './state'
import { edited, kept as keptOf, outliving, type Edit, type Step, type Unmade } from './waiting'

type Tried = 'done' | 'later'
let made = 0
/** Known by nobody else: pages may be open in any number of windows. */
const token = () => `${Date.now().toString(36)}-${Math.random().toString(36).slice(2, 10)}-${made++}`

/** Edits, saved one after the other as commands of the core; undo and redo. */
export function history(s: State, w: Verbs) {
  const { object, scene, version, unsaved, savingTrouble, kept, unmade, gestures, trouble, notice } = s
  // ---- what is shown ------------------------------------------------------------------------------------------------
  function take(found: VersionOut, own?: Step) {
    // Edits stand on each other only within one reading of the scene: what was made on an older one is never sent, or
    // it would write over what somebody else did meanwhile. Steps of one's own may follow each other.
    const rest = waiting.splice(flying ? 1 : 0)
    refuse(rest)
    if (own) waiting.push(...rest.filter((one) => one.kind !== 'edit'))
    else again.length = deep = 0
    version.value = found
    show(copy(found.document) as Scene)
    count()
  }

  /** Whatever follows from the object and where it stands is asked for again when they change. */
  function changed() {
    const stands = JSON.stringify([scene.value?.object, scene.value?.setting])
    if (stood && stands !== stood) void refresh()
    stood = stands
  }
  const document = documentOf(s, () => edits(), changed)
  const { newest, show } = document

  /** The object and its setting as they were last: when they change, facts and readings are asked for again. */
  let stood = ''
  /** Another object is opened: what waits for this one outlives it. */
  function anew() {
    const id = object.value?.id
    if (id && version.value && edits().length) outliving.keepEdits(id, version.value.version, edits())
    waiting.length = again.length = gestures.length = deep = 0
    clearTimeout(retry)
    patience = 0
    kept.value = undefined
    unmade.value = []
    stood = ''
    count()
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
    if (data.unwrapping) void w.followUnwrapping(data.unwrapping)
    await w.fit(data.diagonal_m)
    w.full()
    if (!['good', 'fine'].includes(data.readings)) void w.measure()
  }

  // ---- what waits to be saved ---------------------------------------------------------------------------------------
  /** Edits and steps that the server has not taken yet, oldest first; the first may be on its way. */
  const waiting: (Edit | Step)[] = []
  /** Edits that were taken back before they were saved, for redo. */
  const again: Edit[] = []
  /** How many saved edits were undone after those: redo brings them back first. */
  let deep = 0
  let flying = false
  const edits = () => waiting.filter((w): w is Edit => w.kind === 'edit')

  function count() {
    unsaved.value = waiting.length
    s.waitingLabels.value = edits().map((e) => e.label)
    s.againLabels.value = deep ? [] : again.map((e) => e.label)
  }

  let pumping: Promise<void> | undefined
  /** Send what waits, one after the other, so that each knows the version it is made on. */
  function pump(): Promise<void> {
    return (pumping ??= during('edits', pumpAll()).finally(() => (pumping = undefined)))
  }
  async function pumpAll() {
    while (waiting.length) {
      const next = waiting[0]
      const id = object.value?.id
      flying = true
      let tried: Tried
      try {
        tried = next.kind === 'edit' ? await sendEdit(next) : await sendStep(next)
      } finally {
        flying = false
      }
      // Another object was opened meanwhile: what waited for the old one went aside with it.
      if (id !== object.value?.id) continue
      if (tried === 'later') {
        // Taken back while it was on its way, and it did not arrive.
        if (next.kind === 'edit' && waiting[1]?.kind === 'undo') {
          waiting.splice(0, 2)
          again.push(next)
          show(newest())
          if (!waiting.length) settled()
          count()
          continue
        }
        count()
        return
      }
      if (waiting[0] === next) waiting.shift()
      if (!waiting.length) settled()
      else if (kept.value) keepAside()
      count()
    }
  }

  /** Resolves when every edit made so far is saved, or waits for the server to come back. */
  const saved = () => pumping ?? Promise.resolve()

  // ---- what the server did not take ---------------------------------------------------------------------------------
  let retry: ReturnType<typeof setTimeout> | undefined
  let patience = 0

  function keepAside() {
    if (object.value && version.value) outliving.keepEdits(object.value.id, version.value.version, edits())
  }

  /** Keep everything that is not saved, say so, and try again in a while; less often the longer it takes. */
  function keep(what: Edit | Step, why: string): Tried {
    if (what.kind === 'edit') {
      const more = edits().length - 1
      const also = more > 0 ? ` and ${more} more edit${more > 1 ? 's are' : ' is'}` : ' is'
      kept.value = { label: what.label, why }
      savingTrouble.value = `'${what.label}'${also} not saved yet: ${why} It is kept here and sent again by itself.`
    } else {
      const name = what.kind === 'undo' ? 'Undo' : 'Redo'
      kept.value = { label: name, why }
      savingTrouble.value = `${name} is done as soon as the server answers: ${why}`
    }
    keepAside()
    clearTimeout(retry)
    patience = Math.min(patience + 1, 5)
    retry = setTimeout(() => void pump(), 1000 * 2 ** patience)
    return 'later'
  }

  /** Nothing waits any more. */
  function settled() {
    clearTimeout(retry)
    patience = 0
    if (object.value) outliving.keepEdits(object.value.id, 0, [])
    if (!kept.value) return
    kept.value = undefined
    savingTrouble.value = ''
    // What was taken back is not saved.
    if (!again.length) notice.value = 'Saved now, with everything that was kept here.'
  }

  /** Send what is kept once more, now. */
  function sendKept() {
    clearTimeout(retry)
    return pump()
  }
  // A browser that is online again need not wait for the next try.
  useEventListener(window, 'online', () => {
    patience = 0
    if (waiting.length) void sendKept()
    else if (s.evaluationTrouble.value) w.full()
  })

  /** Edits that were made on a scene which is not there any more: named, kept, and offered to be made again. */
  function refuse(found: (Edit | Step)[], madeOn = version.value?.version ?? 0) {
    const theirs = found.filter((w): w is Edit => w.kind === 'edit')
    if (!theirs.length || !object.value) return
    unmade.value = [...unmade.value, ...theirs.map((edit) => keptOf(edit, madeOn))]
    outliving.keepUnmade(object.value.id, unmade.value)
  }

  /**
   * After an object was opened: what an earlier visit could not save is taken up again, where nothing else happened
   * since.
   */
  function takeUpKept() {
    kept.value = undefined
    savingTrouble.value = ''
    patience = 0
    clearTimeout(retry)
    const id = object.value?.id
    if (!id || !version.value) return
    unmade.value = outliving.unmade(id)
    let found = outliving.edits(id)
    // What did arrive after all, though no answer told so.
    const arrived = found.findIndex((e) => e.token === version.value?.token)
    if (arrived >= 0) found = found.slice(arrived + 1).map((e) => ({ ...e, base: version.value!.version }))
    if (!found.length) return outliving.keepEdits(id, 0, [])
    const names = found.map((e) => `'${e.label}'`).join(', ')
    outliving.keepEdits(id, 0, [])
    if (found[0].base !== version.value.version) {
      notice.value =
        `${names} could not be saved last time, and the scene was changed since. ` +
        'Make it again where you still want it.'
      refuse(found.map(edited), found[0].base)
      return
    }
    notice.value = `${names} could not be saved last time; it was kept here and is sent again.`
    waiting.push(...found.map(edited))
    show(newest())
    count()
    void pump()
  }
  useEventListener(window, 'beforeunload', (event) => {
    if (kept.value || unsaved.value) event.preventDefault()
  })

  async function sendEdit(edit: Edit): Promise<Tried> {
    const item = object.value
    if (!item || !version.value) return 'done'
    try {
      const { data, error, response } = await api.POST('/api/objects/{object_id}/edit', {
        params: { path: { object_id: item.id } },
        body: { base: version.value.version, name: edit.name, arguments: edit.arguments, token: edit.token },
      })
      if (item.id !== object.value?.id) return 'done'
      if (data) {
        document.took(data as unknown as EditOut, () => waiting.shift())
        if (data.notes?.length) notice.value = data.notes.join('. ')
        // What was complained of before is over, or would be said again.
        if (!kept.value) savingTrouble.value = ''
        return 'done'
      }
      if (response.status === 409 && error && 'scene' in error) {
        const theirs = error.scene as VersionOut
        // The refusal brings the newest scene along: nothing is asked for, nothing is waited for.
        const own = theirs.label === 'Unwrap' && !!s.unwrapping.value
        const before = unmade.value.length
        if (!error.arrived) refuse([edit])
        take(theirs)
        // UVs that were being made are no doing of somebody else's: what was edited meanwhile stands.
        if (own) void remake(unmade.value.slice(before))
        else if (!error.arrived || unmade.value.length > before) notice.value = error.message
        kept.value = undefined
        savingTrouble.value = ''
        w.full()
        return 'done'
      }
      // Its fault, not that of the edit: nothing is taken back.
      if (response.status >= 500) return keep(edit, messageOf(error, 'the server failed.'))
      // Refused for good; what stands there is what was saved before, and the message says why. What was made on it is
      // offered again.
      const why = messageOf(error)
      take(version.value)
      w.full()
      kept.value = undefined
      savingTrouble.value = why
      return 'done'
    } catch {
      return keep(edit, 'the server did not answer. Check that it is running.')
    }
  }

  async function sendStep(step: Step): Promise<Tried> {
    const item = object.value
    if (!item || !version.value) return 'done'
    try {
      const { data, error, response } = await api.POST(
        step.kind === 'undo' ? '/api/objects/{object_id}/undo' : '/api/objects/{object_id}/redo',
        { params: { path: { object_id: item.id } }, body: { base: version.value.version } },
      )
      if (item.id !== object.value?.id) return 'done'
      if (data) {
        if (again.length && data.version !== version.value.version) deep += step.kind === 'undo' ? 1 : -1
        take(document.after(data as unknown as EditOut), step)
      } else if (response.status === 409 && error && 'scene' in error) {
        const theirs = error.scene as VersionOut
        take(theirs)
        notice.value = error.message
      } else if (response.status >= 500) return keep(step, messageOf(error, 'the server failed.'))
      else trouble.value = messageOf(error, 'Nothing was undone; try again.')
      kept.value = undefined
      savingTrouble.value = ''
      w.full()
      return 'done'
    } catch {
      return keep(step, 'it did not answer. Check that it is running.')
    }
  }

  // ---- edits and steps ----------------------------------------------------------------------------------------------
  /**
   * Make an edit by a command of the core; resolves when everything made so far is saved, or waits for the server to
   * come back.
   */
  function run(name: string, given: Record<string, unknown>, label?: string, light = false): Promise<void> {
    if (!scene.value || !object.value || !version.value) return Promise.resolve()
    // A step that waits would take back something else than what somebody saw when they asked for it.
    const steps = waiting.filter((one, k) => one.kind !== 'edit' && !(flying && k === 0))
    if (steps.length) {
      waiting.splice(0, waiting.length, ...waiting.filter((one) => !steps.includes(one)))
      notice.value = `The ${steps[0].kind} that waited for the server was dropped: the scene was edited since.`
    }
    again.length = deep = 0
    const called = label ?? s.catalogue.value?.commands[name] ?? name
    waiting.push({ kind: 'edit', label: called, name, arguments: copy(given), token: token() })
    count()
    if (light) w.lightly()
    else w.sharp()
    return pump()
  }
  /** Save the values that were set in the scene shown since the last edit. */
  function commit(label: string, light = false): Promise<void> {
    const now = document.local()
    if (isNothing(now)) {
      // Back where it was: nothing to save, and what is looked at may still be of the way.
      if (light) w.lightly()
      else w.sharp()
      return saved()
    }
    return run('set', { ...now, label }, label, light)
  }

  /** Set values in the scene and save them as one edit. */
  function edit(label: string, change: (scene: Scene) => void, light = false) {
    if (!scene.value) return
    change(scene.value)
    void commit(label, light)
  }

  /** What undo and redo would do now, in words; "" for nothing. What waits goes first. */
  const undoes = computed(
    () =>
      gestures.at(-1)?.label ??
      s.waitingLabels.value.at(-1) ??
      (version.value?.can_undo ? version.value.undo_label || 'the last edit' : ''),
  )
  const redoes = computed(
    () => s.againLabels.value.at(-1) ?? (version.value?.can_redo ? version.value.redo_label || 'the last edit' : ''),
  )

  function step(direction: 'undo' | 'redo'): Promise<void> {
    if (!object.value || !version.value) return Promise.resolve()
    const last = waiting.at(-1)
    const onItsWay = flying && waiting.length === 1
    if (direction === 'undo') {
      const drawn = gestures.pop()
      if (drawn) {
        drawn.gone = true
        notice.value = `'${drawn.label}' was taken back before it was saved.`
        w.full()
        return Promise.resolve()
      }
      if (last?.kind === 'edit' && !onItsWay) {
        waiting.pop()
        again.push(last)
        show(newest())
        notice.value = `'${last.label}' was taken back before it was saved.`
        if (!waiting.length) settled()
        else if (kept.value) keepAside()
        count()
        w.full()
        return pump()
      }
    } else {
      const taken = deep ? undefined : again.pop()
      if (taken) {
        waiting.push(taken)
        show(newest())
        count()
        w.full()
        return pump()
      }
    }
    // The opposite of a step that still waits: neither is done.
    if (last && last.kind !== 'edit' && last.kind !== direction && !onItsWay) {
      waiting.pop()
      if (!waiting.length) settled()
      count()
      return pump()
    }
    waiting.push({ kind: direction })
    count()
    return pump()
  }

  // ---- what was refused, made again ---------------------------------------------------------------------------------
  function dismiss(edit: Unmade) {
    unmade.value = unmade.value.filter((one) => one !== edit)
    if (object.value) outliving.keepUnmade(object.value.id, unmade.value)
  }

  async function remake(edits: Unmade[]) {
    for (const edit of edits) await makeAgain(edit)
  }

  /** Make an edit again on the scene as it is now; what it did not touch stays. */
  async function makeAgain(edit: Unmade) {
    await saved()
    const item = object.value
    if (!item || !version.value) return
    const { data, error, response } = await api.POST('/api/objects/{object_id}/edit', {
      params: { path: { object_id: item.id } },
      body: {
        base: version.value.version,
        made_on: edit.base,
        name: edit.name,
        arguments: edit.arguments,
        token: edit.token,
      },
    })
    if (item.id !== object.value?.id) return
    if (data) {
      dismiss(edit)
      document.took(data as unknown as EditOut, () => undefined)
      w.full()
    } else if (response.status === 409 && error && 'scene' in error) {
      take(error.scene as VersionOut)
      w.full()
      if (error.arrived) dismiss(edit)
      else notice.value = 'The scene changed once more just now. Look at it, and try again.'
    } else savingTrouble.value = messageOf(error)
  }

  /**
   * The scene as it is saved now; where the object or its setting changed, what follows from them is asked for again.
   */
  async function reload() {
    const id = object.value?.id
    if (!id) return
    await saved()
    const { data } = await api.GET('/api/objects/{object_id}/scene', { params: { path: { object_id: id } } })
    if (!data || object.value?.id !== id) return
    take(data)
    w.full()
  }

  const versionNow = () => version.value?.version ?? 0

  return {
    anew,
    versionNow,
    takeUpKept,
    sendKept,
    take,
    editObject,
    refresh,
    saved,
    run,
    commit,
    edit,
    asked: document.asked,
    probed: document.probed,
    step,
    undoes,
    redoes,
    makeAgain,
    dismiss,
    reload,
  }
}
