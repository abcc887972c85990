/** A row of a batch: column -> text, as a sheet has it. */
export type Row = Record<string, string>

export interface Column {
  name: string
  title: string
  about: string
  kind: 'object' | 'treatment' | 'order' | 'target' | 'size' | 'text' | 'number'
}
/** Columns that the page shows; a sheet may hold more of them, which stay as they are. */
export const COLUMNS: Column[] = [
  { name: 'object', title: 'Object', about: 'An object of this project', kind: 'object' },
  { name: 'treatment', title: 'Treatment', about: 'Laid on top of what is there', kind: 'treatment' },
  { name: 'snapshot', title: 'Snapshot', about: 'Layers on and off as in this snapshot of the object', kind: 'text' },
  { name: 'year', title: 'Year', about: 'Years after it was made; empty: as the object stands', kind: 'number' },
  { name: 'seed', title: 'Seed', about: 'Another throw of the dice; empty: as the object stands', kind: 'number' },
  { name: 'order', title: 'Settings', about: 'Settings that were kept in the Export stage', kind: 'order' },
  { name: 'target', title: 'What', about: 'Wins over the settings', kind: 'target' },
  { name: 'resolution', title: 'Size', about: 'Pixels along a side; wins over the settings', kind: 'size' },
  { name: 'out', title: 'Folder', about: 'In the zip; empty: called after the object', kind: 'text' },
]

/** As a CSV file (RFC 4180): the columns that are used, those of the page first. */
export function asCsv(rows: Row[]): string {
  const known = COLUMNS.map((column) => column.name)
  const used = new Set(rows.flatMap((row) => Object.keys(row)))
  const columns = [
    ...known.filter((name) => used.has(name)),
    ...[...used].filter((name) => !known.includes(name)).sort(),
  ]
  const quoted = (text: string) => (/[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text)
  return [columns, ...rows.map((row) => columns.map((name) => row[name] ?? ''))]
    .map((line) => `${line.map(quoted).join(',')}\r\n`)
    .join('')
}

/** Objects by what a row calls them: their names, and their numbers where several have one name. */
export function called(objects: { id: number; name: string }[]): { label: string; value: string }[] {
  const several = (name: string) => objects.filter((o) => o.name === name).length > 1
  return objects.map((o) =>
    several(o.name) ? { label: `${o.name} (${o.id})`, value: String(o.id) } : { label: o.name, value: o.name },
  )
}
