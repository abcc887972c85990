/** What the server answers an edit with: steps from one document to the next. */
export type Path = (string | number)[]
export type Change = ['set', Path, unknown] | ['drop', Path] | ['splice', Path, number, number, unknown[]]
/** Values by the addresses of their fields, as the command `set` takes them, and entries of tables that go. */
export interface Values {
  values: Record<string, unknown>
  drop: string[]
}

type Node = Record<string | number, unknown>
const copy = <T>(value: T): T => (value === undefined ? value : (JSON.parse(JSON.stringify(value)) as T))

/** Make the steps in the document itself. */
export function apply(document: object, steps: Change[]) {
  for (const [kind, path, ...rest] of steps) {
    const owner = (kind === 'splice' ? path : path.slice(0, -1)).reduce<unknown>(
      (here, key) => (here as Node)[key],
      document,
    )
    const last = path.at(-1)!
    if (kind === 'set') (owner as Node)[last] = copy(rest[0])
    else if (kind === 'drop') delete (owner as Node)[last]
    else (owner as unknown[]).splice(rest[0] as number, rest[1] as number, ...copy(rest[2] as unknown[]))
  }
}

/** Whether two documents say the same, whatever the order of their fields. */
export function same(a: unknown, b: unknown): boolean {
  if (typeof a !== 'object' || typeof b !== 'object' || !a || !b) return a === b
  const [one, two] = [a as Record<string, unknown>, b as Record<string, unknown>]
  const keys = Object.keys(one)
  return (
    Array.isArray(a) === Array.isArray(b) &&
    keys.length === Object.keys(two).length &&
    keys.every((key) => key in two && same(one[key], two[key]))
  )
}

const idOf = (entry: unknown) =>
  entry && typeof entry === 'object' && 'id' in entry && typeof entry.id === 'string' ? entry.id : undefined

/** What is set anew from one document to the other. What has an id is called by it. */
export function changes(before: unknown, after: unknown): Values {
  const out: Values = { values: {}, drop: [] }
  compare(before, after, '', out)
  return out
}
function compare(before: unknown, after: unknown, at: string, out: Values) {
  if (Array.isArray(before) && Array.isArray(after)) {
    const alike =
      before.length === after.length &&
      after.every(
        (entry, k) => entry && typeof entry === 'object' && !Array.isArray(entry) && idOf(entry) === idOf(before[k]),
      )
    if (alike) after.forEach((entry, k) => compare(before[k], entry, `${at}[${idOf(entry) ?? k}]`, out))
    else if (!same(before, after)) out.values[at] = copy(after)
  } else if (before && after && typeof before === 'object' && typeof after === 'object' && !Array.isArray(after)) {
    const [old, now] = [before as Node, after as Node]
    // Another kind of thing altogether is put there whole.
    if (at && 'kind' in old && old.kind !== now.kind) {
      out.values[at] = copy(after)
      return
    }
    for (const key of Object.keys(old)) if (now[key] === undefined) out.drop.push(inside(at, key))
    for (const [key, value] of Object.entries(now)) {
      if (value === undefined) continue
      if (key in old) compare(old[key], value, inside(at, key), out)
      else out.values[inside(at, key)] = copy(value)
    }
  } else if (!same(before, after)) out.values[at] = copy(after)
}
const inside = (at: string, key: string) => (at ? `${at}.${key}` : key)

export const isNothing = ({ values, drop }: Values) => !drop.length && !Object.keys(values).length

/** Put values where they belong; what is not there (any more) is passed over. */
export function put(document: object, { values, drop }: Values) {
  for (const [address, value] of Object.entries(values)) {
    const [owner, last] = ownerOf(document, address)
    if (owner) owner[last] = copy(value)
  }
  for (const address of drop) {
    const [owner, last] = ownerOf(document, address)
    if (owner) delete owner[last]
  }
}
function ownerOf(document: object, address: string): [Node | undefined, string | number] {
  const steps = [...address.matchAll(/(?:^|\.)([^.[\]]+)|\[([^[\]]+)\]/g)].map((m) => m[1] ?? m[2])
  let here: unknown = document
  let owner: Node | undefined
  let last: string | number = ''
  for (const step of steps) {
    if (!here || typeof here !== 'object') return [undefined, '']
    owner = here as Node
    last = step
    if (Array.isArray(here)) {
      const named = here.findIndex((entry) => idOf(entry) === step)
      last = named >= 0 ? named : Number(step)
      if (!Number.isInteger(last) || last >= here.length) return [undefined, '']
    }
    here = owner[last]
  }
  return [owner, last]
}
