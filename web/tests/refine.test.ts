import { expect, test } from 'vitest'
import { refined, type Corners } from '../src/view3d/refine'

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
