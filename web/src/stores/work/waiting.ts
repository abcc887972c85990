/** A command of the core, with what it is given. */
export interface Command {
  name: string
  arguments: Record<string, unknown>
}
/** An edit that is not saved yet. `token` is what it is known by, so that a second try makes nothing twice. */
export interface Edit extends Command {
  kind: 'edit'
  label: string
  token: string
}
/** An undo or redo that the server has not done yet. */
export interface Step {
  kind: 'undo' | 'redo'
}
/**
 * An edit that was refused because another window changed the scene first; it can be made again. `base`: the version it
 * was made on.
 */
export type Unmade = Omit<Edit, 'kind'> & { base: number }

const KEPT = (object: number) => `limus.kept.${object}`
const UNMADE = (object: number) => `limus.unmade.${object}`

function write(key: string, value: unknown[]) {
  try {
    if (value.length) localStorage.setItem(key, JSON.stringify(value))
    else localStorage.removeItem(key)
  } catch {
    // This browser has no room; the page itself still holds it.
  }
}
/** What an earlier version of the page kept in another form is no edit. */
const isEdit = (one: Partial<Unmade> | null) =>
  typeof one?.name === 'string' && typeof one.token === 'string' && typeof one.arguments === 'object'
function read(key: string): Unmade[] {
  try {
    const found = JSON.parse(localStorage.getItem(key) ?? '[]') as unknown
    return Array.isArray(found) ? (found as Unmade[]).filter(isEdit) : []
  } catch {
    return []
  }
}
/** To be kept: with the version that it was made on. */
export const kept = ({ label, name, token, arguments: given }: Omit<Edit, 'kind'>, base: number): Unmade => ({
  base,
  label,
  name,
  arguments: given,
  token,
})
/** To be sent. */
export const edited = ({ label, name, token, arguments: given }: Unmade): Edit => ({
  kind: 'edit',
  label,
  name,
  arguments: given,
  token,
})

/** What outlives the page: edits that wait, with the version they were made on, and edits that were refused. */
export const outliving = {
  edits: (object: number) => read(KEPT(object)),
  keepEdits: (object: number, base: number, edits: Edit[]) =>
    write(
      KEPT(object),
      edits.map((edit) => kept(edit, base)),
    ),
  unmade: (object: number) => read(UNMADE(object)),
  keepUnmade: (object: number, edits: Unmade[]) => write(UNMADE(object), edits),
}
