import { fieldsOf } from '../../api/scene'
import type { Term } from '../../api/scene'
import { copy, type State, type Verbs } from './state'

/** Lines of recipes. */
export function recipes(s: State, w: Verbs) {
  const { catalogue, scene, notice, sources } = s
  /** A new line with a source's defaults. */
  function freshTerm(kind: string, fields: Record<string, unknown> = {}): Term {
    const source = sources.value.get(kind)!
    const shaping = Object.fromEntries(
      fieldsOf(catalogue.value!.term).map(([name, field]) => [name, field.default ?? null]),
    ) as unknown as Term
    return {
      ...copy(shaping),
      source: { ...copy(source.defaults), kind, ...fields } as Term['source'],
      low: source.low,
      high: source.high,
      link: '',
    }
  }
  const standing = new Set(['combine', 'amount', 'muted', 'solo'])
  /** Lines with the same link are the same line: what changed in one changes in all. */
  function syncLinks(term: Term | undefined) {
    if (!term?.link || !scene.value) return
    const body = Object.fromEntries(Object.entries(term).filter(([name]) => !standing.has(name)))
    for (const layer of scene.value.layers)
      for (const other of layer.where.terms)
        if (other !== term && other.link === term.link) Object.assign(other, copy(body))
  }
  function linkedLayers(link: string): string[] {
    return (scene.value?.layers ?? []).filter((l) => l.where.terms.some((t) => t.link === link)).map((l) => l.name)
  }
  /** Put a copy of a line into another layer; linked, one edit serves both. */
  function sendTerm(term: Term, to: string, linked: boolean) {
    w.edit(linked ? 'Link line' : 'Copy line', (now) => {
      const there = now.layers.find((l) => l.id === to)
      if (!there) return
      if (linked && !term.link) {
        const taken = new Set(now.layers.flatMap((l) => l.where.terms.map((t) => t.link)))
        let k = 1
        while (taken.has(`line-${k}`)) k++
        term.link = `line-${k}`
      }
      there.where.terms.push({ ...copy(term), link: linked ? term.link : '' })
    })
    notice.value = `${linked ? 'Linked to' : 'Copied to'} ${scene.value?.layers.find((l) => l.id === to)?.name}.`
  }
  function unlink(term: Term) {
    w.edit('Unlink line', (now) => {
      const { link } = term
      term.link = ''
      // A link of one is none.
      const left = now.layers.flatMap((l) => l.where.terms).filter((t) => t.link === link)
      if (left.length === 1) left[0].link = ''
    })
  }

  return { freshTerm, syncLinks, linkedLayers, sendTerm, unlink }
}
