import type { InjectionKey } from 'vue'
import { useWork } from './work'

/** Provided by forms whose numbers are no part of the document (a brush, a file that is brought in): nothing is tried there. */
export const OUTSIDE: InjectionKey<boolean> = Symbol('outside the document')

/** What a number belongs to, for the head of its bracket. */
export function nameOf(title: string): string {
  const work = useWork()
  const owner = work.bench === 'weather' ? (work.episode?.name ?? work.selected?.name) : ''
  return owner ? `${title} of ${owner}` : title
}
