import type { EditOut, Scene, VersionOut } from '../../api/scene'
import { apply, changes, isNothing, put, same, type Values } from '../../api/difference'
import { copy, type State } from './state'
import type { Command, Edit } from './waiting'

/**
 * What the page holds of the document: the version as the server has it, and the scene that is shown. They differ by
 * values that are set here and not saved yet; what else an edit does is the core's to say, and comes with the answer.
 */
export function documentOf(s: State, edits: () => Edit[], changed: () => void) {
  const { scene, version, selectedId, selectedTerm, selectedEpisode, until, selected } = s
  /** The saved document with the values of edits that wait. */
  function newest(): Scene {
    const now = copy(version.value!.document) as Scene
    for (const edit of edits()) if (edit.name === 'set') put(now, edit.arguments as unknown as Values)
    return now
  }
  /** What was set in the scene shown since the last edit: a control that is being moved. */
  const local = () => (scene.value && version.value ? changes(newest(), scene.value) : { values: {}, drop: [] })

  function show(now: Scene) {
    scene.value = now
    repair()
  }
  /** What is selected is there. */
  function repair() {
    const now = scene.value!
    if (!now.layers.some((l) => l.id === selectedId.value)) selectedId.value = now.layers.at(-1)?.id ?? ''
    if (until.value && !now.layers.some((l) => l.id === until.value)) until.value = null
    if (!now.episodes.some((e) => e.id === selectedEpisode.value)) selectedEpisode.value = ''
    const open = s.maskedBase.value < 0 ? selected.value?.where : now.bases[s.maskedBase.value]?.where
    selectedTerm.value = Math.min(selectedTerm.value, (open?.terms.length ?? 0) - 1)
    changed()
  }

  /** The version that a difference leads to, from the one that is held here. */
  function after(answer: EditOut): VersionOut {
    const document = copy(version.value!.document) as Scene
    apply(document, answer.change)
    return { ...answer, document } as unknown as VersionOut
  }
  /**
   * The answer to one's own edit `done`: the version moves on, and the scene that is shown follows where the core did
   * more than was set here. What is being dragged meanwhile stays as the hand has it.
   */
  function took(answer: EditOut, done: () => void) {
    const dragged = local()
    version.value = after(answer)
    done()
    const wanted = newest()
    put(wanted, dragged)
    if (same(scene.value, wanted)) return
    try {
      // In place, so that what did not change stays what it is on the screen.
      apply(scene.value!, answer.change)
      put(scene.value!, dragged)
    } catch {
      // It does not fit: what was dragged belongs to something that is gone.
    }
    if (!same(scene.value, wanted)) scene.value = wanted
    select(answer.made)
    repair()
  }
  /** What an edit made is what somebody wants to work on next. */
  function select(made: Record<string, unknown>) {
    if (typeof made.layer === 'string') {
      selectedEpisode.value = ''
      selectedId.value = made.layer
      selectedTerm.value = -1
      until.value = null
    }
    const gone = !scene.value?.layers.some((l) => l.id === selectedId.value)
    if (typeof made.instead === 'string' && gone) selectedId.value = made.instead
    if (typeof made.episode === 'string') selectedEpisode.value = made.episode
    if (typeof made.line === 'number') selectedTerm.value = made.line
    if (typeof made.base === 'number') s.madeBase.value = { number: made.base }
  }
  /** What a question about the scene as it is shown is asked on: a version, and commands that are not saved yet. */
  function asked(): { base: number; edits: Command[] } {
    const waiting: Command[] = edits().map((edit) => ({ name: edit.name, arguments: edit.arguments }))
    const now = local()
    if (!isNothing(now)) waiting.push({ name: 'set', arguments: { ...now } })
    return { base: version.value!.version, edits: waiting }
  }

  /** What a control sets: it is moved and put back, unseen, and what differs in between is what it sets. */
  function probed(move: () => void, back: () => void): Values {
    s.probing.value = true
    try {
      move()
      const found = local()
      back()
      return found
    } finally {
      s.probing.value = false
    }
  }

  return { newest, probed, local, show, after, took, asked }
}
