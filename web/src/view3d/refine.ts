/**
 * Numbers per corner of each triangle: its place, which vertex it is, and whatever else is carried along (normal, UV,
 * ...).
 */
export interface Corners {
  /** x, y, z of each corner. */
  place: Float32Array
  /** The same number for corners at the same place. */
  vertex: Int32Array
  more: { values: Float32Array; size: number }[]
}

/** What is handed over with them rather than copied. */
export const buffersOf = ({ place, vertex, more }: Corners) =>
  [place, vertex, ...more.map(({ values }) => values)].map(({ buffer }) => buffer) as Transferable[]

/** How long edges of a triangle may be, in metres; `corners` has its nine numbers from `at` on. */
export type EdgeOf = (corners: Float32Array, at: number) => number

/**
 * Triangles none of whose edges is longer than `edge` (or than `own` allows, where that is longer), as far as `most` of
 * them allow. In each pass every triangle asks for its longest edge to be halved (M.-C. Rivara, "Algorithms for
 * refining triangular grids", 1984), and all that share an edge follow, so nothing tears open where a relief moves them
 * and slivers do not multiply.
 */
export function refined(from: Corners, edge: number, most: number, own?: EdgeOf): Corners {
  let now = from
  // The longest first, so that all come out about alike when there may be no more triangles.
  let limit = Math.max(edge, longestOf(from.place) / 2)
  for (;;) {
    const next = halved(now, limit * limit, most, own)
    if (next === 'full') break
    if (next) now = next
    else if (limit <= edge) break
    else limit = Math.max(edge, limit / 2)
  }
  return now
}

function longestOf(p: Float32Array): number {
  let long = 0
  for (let t = 0; t < p.length; t += 9)
    for (let e = 0; e < 3; e++) {
      const a = t + 3 * e
      const b = t + 3 * ((e + 1) % 3)
      long = Math.max(long, Math.hypot(p[a] - p[b], p[a + 1] - p[b + 1], p[a + 2] - p[b + 2]))
    }
  return long
}

/** Edges by their two vertices, each with the number of the vertex in its middle. */
class Edges {
  private readonly low: Int32Array
  private readonly high: Int32Array
  private readonly middle: Int32Array
  count = 0
  constructor(
    most: number,
    private readonly first: number,
  ) {
    const slots = 1 << Math.ceil(Math.log2(Math.max(16, 2 * most)))
    this.low = new Int32Array(slots).fill(-1)
    this.high = new Int32Array(slots)
    this.middle = new Int32Array(slots)
  }
  private slot(low: number, high: number): number {
    const mask = this.low.length - 1
    let at = (Math.imul(low, 73856093) ^ Math.imul(high, 19349663)) & mask
    while (this.low[at] >= 0 && (this.low[at] !== low || this.high[at] !== high)) at = (at + 1) & mask
    return at
  }
  add(a: number, b: number) {
    const [low, high] = a < b ? [a, b] : [b, a]
    const at = this.slot(low, high)
    if (this.low[at] >= 0) return
    this.low[at] = low
    this.high[at] = high
    this.middle[at] = this.first + this.count++
  }
  /** Number of the vertex in the middle of an edge that is halved, else -1. */
  of(a: number, b: number): number {
    const at = a < b ? this.slot(a, b) : this.slot(b, a)
    return this.low[at] < 0 ? -1 : this.middle[at]
  }
}

function halved(from: Corners, limit: number, most: number, own?: EdgeOf): Corners | 'full' | undefined {
  const { place: p, vertex: v } = from
  const triangles = v.length / 3
  let highest = 0
  for (let k = 0; k < v.length; k++) highest = Math.max(highest, v[k])
  const edges = new Edges(triangles, highest + 1)
  for (let t = 0; t < triangles; t++) {
    let longest = limit
    let found = -1
    for (let e = 0; e < 3; e++) {
      const a = 9 * t + 3 * e
      const b = 9 * t + 3 * ((e + 1) % 3)
      const x = p[a] - p[b]
      const y = p[a + 1] - p[b + 1]
      const z = p[a + 2] - p[b + 2]
      const long = x * x + y * y + z * z
      // Both sides of an edge must find it as long: a hair more than the one before.
      if (long > longest * 1.000001 && v[3 * t + e] !== v[3 * t + ((e + 1) % 3)]) {
        longest = long
        found = e
      }
    }
    if (found >= 0 && !(own && longest <= own(p, 9 * t) ** 2)) edges.add(v[3 * t + found], v[3 * t + ((found + 1) % 3)])
  }
  if (!edges.count) return undefined
  const middle = new Int32Array(3 * triangles)
  let out = triangles
  for (let k = 0; k < 3 * triangles; k++) {
    const t = k - (k % 3)
    middle[k] = edges.of(v[k], v[t + ((k - t + 1) % 3)])
    if (middle[k] >= 0) out++
  }
  if (out > most) return 'full'
  // For every new corner the two old ones that it lies between (the same twice: an old corner), and its vertex.
  const a = new Int32Array(3 * out)
  const b = new Int32Array(3 * out)
  const vertex = new Int32Array(3 * out)
  let at = 0
  const old = (i: number) => {
    a[at] = b[at] = i
    vertex[at++] = v[i]
  }
  const between = (t: number, e: number) => {
    a[at] = t + e
    b[at] = t + ((e + 1) % 3)
    vertex[at++] = middle[t + e]
  }
  for (let t = 0; t < 3 * triangles; t += 3) {
    const is = [middle[t] >= 0, middle[t + 1] >= 0, middle[t + 2] >= 0]
    const many = +is[0] + +is[1] + +is[2]
    if (many === 0) for (let c = 0; c < 3; c++) old(t + c)
    else if (many === 3) {
      for (let c = 0; c < 3; c++) {
        old(t + c)
        between(t, c)
        between(t, (c + 2) % 3)
      }
      for (let c = 0; c < 3; c++) between(t, c)
    } else if (many === 1) {
      const e = is.indexOf(true)
      old(t + e)
      between(t, e)
      old(t + ((e + 2) % 3))
      between(t, e)
      old(t + ((e + 1) % 3))
      old(t + ((e + 2) % 3))
    } else {
      // Two halved edges meet in a corner: it is cut off, what is left is halved from the middle of the second one.
      const e = (is.indexOf(false) + 1) % 3
      const f = (e + 1) % 3
      old(t + f)
      between(t, f)
      between(t, e)
      old(t + e)
      between(t, e)
      between(t, f)
      old(t + e)
      between(t, f)
      old(t + ((e + 2) % 3))
    }
  }
  const mixed = (values: Float32Array, size: number) => {
    const made = new Float32Array(3 * out * size)
    for (let c = 0; c < 3 * out; c++)
      for (let q = 0; q < size; q++) made[c * size + q] = (values[a[c] * size + q] + values[b[c] * size + q]) / 2
    return made
  }
  return {
    place: mixed(p, 3),
    vertex,
    more: from.more.map((m) => ({ size: m.size, values: mixed(m.values, m.size) })),
  }
}
