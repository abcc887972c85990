import { mapBytes } from '../api/pictures'
import type { Maps } from '../api/scene'

/** Pictures of one map set, by name: hash and bytes. */
export type Pictures = Map<string, [hash: string, bytes: Uint8Array]>

/** All pictures of an answer's maps, one table for each map set. */
export async function picturesOf(maps: Maps, pages: number): Promise<Pictures[]> {
  const groups: [string, string[]][] = [
    ['base_color', maps.base_color],
    ['orm', maps.orm],
    ['normal', maps.normal],
    ...Object.entries(maps.more ?? {}),
  ]
  const bytes = await Promise.all(groups.map(([, hashes]) => Promise.all(hashes.map(mapBytes))))
  return Array.from(
    { length: pages },
    (_, k) => new Map(groups.map(([name, hashes], g) => [name, [hashes[k], bytes[g][k]]])),
  )
}
