import type { Scene } from '../../api/scene'

/** An edit that is not saved yet: what it was called, and the whole scene before and after it. */
export interface Edit {
  kind: 'edit'
  label: string
  before: Scene
  after: Scene
}
/** An undo or redo that the server has not done yet. */
export interface Step {
  kind: 'undo' | 'redo'
}
/** An edit that was refused because another window changed the scene first; it can be made again. */
export type Unmade = Omit<Edit, 'kind'>

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
function read<T>(key: string): T[] {
  try {
    const found = JSON.parse(localStorage.getItem(key) ?? '[]') as unknown
    return Array.isArray(found) ? (found as T[]) : []
  } catch {
    return []
  }
}

/** What outlives the page: edits that wait, with the version they were made on, and edits that were refused. */
export const outliving = {
  edits: (object: number) => read<Unmade & { base: number }>(KEPT(object)),
  keepEdits: (object: number, base: number, edits: Unmade[]) =>
    write(
      KEPT(object),
      edits.map(({ label, before, after }) => ({ base, label, before, after })),
    ),
  unmade: (object: number) => read<Unmade>(UNMADE(object)),
  keepUnmade: (object: number, edits: Unmade[]) => write(UNMADE(object), edits),
}

/** Whether two documents say the same, whatever the order of their fields. */
export function same(a: unknown, b: unknown): boolean {
  if (typeof a !== 'object' || typeof b !== 'object' || !a || !b) return a === b
  const [one, two] = [a as Record<string, unknown>, b as Record<string, unknown>]
  const keys = Object.keys(one)
  return keys.length === Object.keys(two).length && keys.every((key) => key in two && same(one[key], two[key]))
}
