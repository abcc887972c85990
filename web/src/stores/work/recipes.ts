import type { State, Verbs } from './state'

/** Lines of recipes. `place` says whose: `layers[rust]`, `episodes[winter]`, `bases[0]`. */
export function recipes(s: State, w: Verbs) {
  const { scene } = s
  const addLine = (place: string, source: string, fields: Record<string, unknown> = {}) =>
    w.run('add-line', { place, source, fields })
  /** A line that shows a reading as it is looked at: which source that is, the core knows. */
  const addReading = (place: string, reading: string, size_mm: number, component: string) =>
    w.run('add-line', { place, reading, size_mm, component })
  const removeLine = (place: string, line: number) => w.run('remove-line', { place, line })
  const moveLine = (place: string, line: number, to: number) => w.run('move-line', { place, line, to })
  const duplicateLine = (place: string, line: number) => w.run('duplicate-line', { place, line })
  /** Put a copy of a line into another recipe; linked, one edit serves both. */
  const copyLine = (place: string, line: number, to: string, link: boolean) =>
    w.run('copy-line', { place, line, to, link })
  const unlink = (place: string, line: number) => w.run('unlink', { place, line })
  /** Names of what else has a line with this link, besides the recipe at `place`. */
  function linkedTo(link: string, place: string): string[] {
    const now = scene.value
    return [
      ...(now?.layers ?? []).map((l) => ({ name: l.name, place: `layers[${l.id}]`, where: l.where })),
      ...(now?.episodes ?? []).map((e) => ({ name: e.name, place: `episodes[${e.id}]`, where: e.where })),
      ...(now?.bases ?? []).map((b, k) => ({ name: b.name || `Base ${k + 1}`, place: `bases[${k}]`, where: b.where })),
    ]
      .filter((holder) => holder.place !== place && holder.where?.terms.some((t) => t.link === link))
      .map((holder) => holder.name)
  }

  return { addLine, addReading, removeLine, moveLine, duplicateLine, copyLine, unlink, linkedTo }
}
