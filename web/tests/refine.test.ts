import { describe, expect, test } from 'vitest'
import { Mesh, PerspectiveCamera } from 'three'
import { edgesIn, sightOf } from '../src/view3d/nearEdges'
import { refined, type Corners } from '../src/view3d/refine'
import { shared } from '../src/view3d/shared'

/** A strip of two triangles that share an edge, 2 by 1, with x and y carried along. */
function strip(): Corners {
  const places = [
    [0, 0, 0],
    [2, 0, 0],
    [2, 1, 0],
    [0, 1, 0],
  ]
  const vertex = Int32Array.from([0, 1, 2, 0, 2, 3])
  const place = new Float32Array([...vertex].flatMap((k) => places[k]))
  const values = new Float32Array([...vertex].flatMap((k) => places[k].slice(0, 2)))
  return { place, vertex, more: [{ values, size: 2 }] }
}
function areas(c: Corners): number[] {
  return Array.from({ length: c.place.length / 9 }, (_, t) => {
    const [ax, ay, , bx, by, , cx, cy] = c.place.subarray(9 * t, 9 * t + 9)
    return ((bx - ax) * (cy - ay) - (by - ay) * (cx - ax)) / 2
  })
}
function edges(c: Corners): Map<string, { times: number; long: number }> {
  const found = new Map<string, { times: number; long: number }>()
  for (let t = 0; t < c.vertex.length; t += 3)
    for (let e = 0; e < 3; e++) {
      const [a, b] = [t + e, t + ((e + 1) % 3)]
      const key = [c.vertex[a], c.vertex[b]].sort((x, y) => x - y).join()
      const long = Math.hypot(...[0, 1, 2].map((k) => c.place[3 * a + k] - c.place[3 * b + k]))
      found.set(key, { times: (found.get(key)?.times ?? 0) + 1, long })
    }
  return found
}

test('no edge stays longer than asked, area and the way round stay', () => {
  const made = refined(strip(), 0.1, 100_000)
  expect(Math.max(...[...edges(made).values()].map((e) => e.long))).toBeLessThanOrEqual(0.1 * 1.000001)
  expect(areas(made).reduce((a, b) => a + b)).toBeCloseTo(2, 5)
  expect(Math.min(...areas(made))).toBeGreaterThan(0)
})

test('nothing tears open: every edge inside belongs to two triangles', () => {
  const made = refined(strip(), 0.15, 100_000)
  const rim = (k: number) => {
    const [x, y] = made.place.subarray(3 * k, 3 * k + 2)
    return x === 0 || x === 2 || y === 0 || y === 1
  }
  const corner = new Map([...made.vertex].map((v, k) => [v, k]))
  for (const [key, { times }] of edges(made)) {
    const [a, b] = key.split(',').map((v) => corner.get(Number(v))!)
    expect(times).toBe(times === 1 && rim(a) && rim(b) ? 1 : 2)
  }
  // By Euler's formula for a disc: corners - edges + triangles = 1.
  expect(corner.size - edges(made).size + made.vertex.length / 3).toBe(1)
})

test('a vertex is one place, and what is carried goes with it', () => {
  const made = refined(strip(), 0.2, 100_000)
  const at = new Map<number, string>()
  made.vertex.forEach((v, k) => {
    const [x, y] = made.place.subarray(3 * k, 3 * k + 2)
    expect([...made.more[0].values.subarray(2 * k, 2 * k + 2)]).toEqual([x, y])
    expect(at.get(v) ?? `${x} ${y}`).toBe(`${x} ${y}`)
    at.set(v, `${x} ${y}`)
  })
})

test('no more triangles than may be, and what is fine enough stays as it is', () => {
  expect(refined(strip(), 0.01, 500).vertex.length / 3).toBeLessThanOrEqual(500)
  expect(refined(strip(), 0.01, 500).vertex.length / 3).toBeGreaterThan(100)
  expect(refined(strip(), 5, 500).vertex).toEqual(strip().vertex)
})

/** From above the left end of the strip, whose right end is out of sight. */
function above(facing = 1) {
  const camera = new PerspectiveCamera(20, 1, 0.01, 10)
  camera.position.set(0.25, 0.5, 2 * facing)
  camera.lookAt(0.25, 0.5, 0)
  camera.updateMatrixWorld()
  return sightOf(new Mesh(), camera, 100, 0.5, 0.001)
}
const longest = (c: Corners, t: number) =>
  Math.max(
    ...[0, 1, 2].map((e) => {
      const [a, b] = [3 * (3 * t + e), 3 * (3 * t + ((e + 1) % 3))]
      return Math.hypot(...[0, 1, 2].map((k) => c.place[a + k] - c.place[b + k]))
    }),
  )
const middle = (c: Corners, t: number) =>
  [0, 1].map((k) => (c.place[9 * t + k] + c.place[9 * t + 3 + k] + c.place[9 * t + 6 + k]) / 3)

test('fine where it is looked at, as it was elsewhere, and nothing tears open between', () => {
  const sight = above()
  const made = refined(strip(), sight.finest, 100_000, edgesIn(sight))
  // Two metres away 100 pixels show 0.705 m: a few pixels of that.
  const wanted = 4 * ((2 * Math.tan((10 * Math.PI) / 180) * 2) / 100)
  const seen: number[] = []
  const hidden: number[] = []
  for (let t = 0; t < made.vertex.length / 3; t++) {
    const [x, y] = middle(made, t)
    if (Math.abs(x - 0.25) < 0.3 && Math.abs(y - 0.5) < 0.3) seen.push(longest(made, t))
    if (x > 1.5) hidden.push(longest(made, t))
  }
  expect(Math.max(...seen)).toBeLessThan(wanted)
  expect(Math.min(...hidden)).toBeGreaterThan(0.2)
  expect(Math.max(...hidden)).toBeLessThanOrEqual(0.5 * 1.000001)
  expect(seen.length).toBeGreaterThan(20 * hidden.length)
  const corners = new Set(made.vertex)
  expect(corners.size - edges(made).size + made.vertex.length / 3).toBe(1)
  expect(areas(made).reduce((a, b) => a + b)).toBeCloseTo(2, 5)
})

test('what looks away stays as it was', () => {
  const sight = above(-1)
  const made = refined(strip(), sight.finest, 100_000, edgesIn(sight))
  expect(made.vertex.length).toBe(refined(strip(), 0.5, 100_000).vertex.length)
})

describe('vertices that corners share', () => {
  const made = refined(strip(), 0.2, 100_000)
  const once = shared(made)
  test('say of every corner what it said itself', () => {
    const lists = [
      { all: made.place, few: once.place, size: 3 },
      { all: made.more[0].values, few: once.more[0].values, size: 2 },
    ]
    expect(once.index.length).toBe(made.vertex.length)
    once.index.forEach((one, k) => {
      expect(once.vertex[one]).toBe(made.vertex[k])
      for (const { all, few, size } of lists)
        expect([...few.subarray(one * size, one * size + size)]).toEqual([...all.subarray(k * size, k * size + size)])
    })
  })
  test('are as few as there are places where nothing jumps', () => {
    expect(once.vertex.length).toBe(new Set(made.vertex).size)
  })
  test('stay apart where something that is carried jumps', () => {
    const from = strip()
    // The second triangle has a part of the map of its own.
    for (let k = 3; k < 6; k++) from.more[0].values[2 * k] += 10
    const cut = shared(refined(from, 0.2, 100_000))
    const places = new Map<string, number>()
    for (let k = 0; k < cut.vertex.length; k++) {
      const [x, y] = cut.place.subarray(3 * k, 3 * k + 2)
      places.set(`${x} ${y}`, (places.get(`${x} ${y}`) ?? 0) + 1)
      expect([x, x + 10]).toContain(cut.more[0].values[2 * k])
    }
    // The edge that both have runs from (0, 0) to (2, 1).
    for (const [place, count] of places) {
      const [x, y] = place.split(' ').map(Number)
      expect(count).toBe(Math.abs(x - 2 * y) < 1e-6 ? 2 : 1)
    }
    expect([...places.values()].filter((count) => count === 2).length).toBeGreaterThan(5)
  })
})
