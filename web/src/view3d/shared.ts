import type { Corners } from './refine'

/** Numbers per vertex, and for each corner of each triangle which vertex it is. */
export interface Shared extends Corners {
  index: Uint32Array
}

/**
 * Corners that are alike in everything, once: a graphics card then moves each vertex once rather than for each of the
 * six triangles around it, and what changes with the relief is a sixth. (The library's own merging makes a string of
 * every corner, which takes seconds for a quarter of a million triangles.)
 */
export function shared(from: Corners): Shared {
  const { place, vertex, more } = from
  const lists = [{ values: place, size: 3 }, ...more]
  const alike = (a: number, b: number) =>
    lists.every(({ values, size }) => {
      for (let q = 0; q < size; q++) if (values[a * size + q] !== values[b * size + q]) return false
      return true
    })
  let highest = -1
  for (let k = 0; k < vertex.length; k++) highest = Math.max(highest, vertex[k])
  // Of those in one place the one found last, and for each the one before it.
  const last = new Int32Array(highest + 1).fill(-1)
  const before = new Int32Array(vertex.length)
  // From which corner each was taken.
  const corner = new Int32Array(vertex.length)
  const index = new Uint32Array(vertex.length)
  let count = 0
  for (let k = 0; k < vertex.length; k++) {
    let one = last[vertex[k]]
    while (one >= 0 && !alike(corner[one], k)) one = before[one]
    if (one < 0) {
      one = count++
      corner[one] = k
      before[one] = last[vertex[k]]
      last[vertex[k]] = one
    }
    index[k] = one
  }
  const taken = (values: Float32Array, size: number) => {
    const out = new Float32Array(count * size)
    for (let k = 0; k < count; k++) for (let q = 0; q < size; q++) out[k * size + q] = values[corner[k] * size + q]
    return out
  }
  return {
    place: taken(place, 3),
    vertex: Int32Array.from({ length: count }, (_, k) => vertex[corner[k]]),
    more: more.map(({ values, size }) => ({ values: taken(values, size), size })),
    index,
  }
}
