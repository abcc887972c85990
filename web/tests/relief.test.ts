// @vitest-environment happy-dom
import { BufferAttribute, BufferGeometry, DataUtils, Mesh, MeshDepthMaterial, PerspectiveCamera } from 'three'
import { describe, expect, test, vi } from 'vitest'
import { MovedMeshes } from '../src/view3d/movedMeshes'
import { edgesIn } from '../src/view3d/nearEdges'
import { refined } from '../src/view3d/refine'
import type { Order } from '../src/view3d/refineWorker'
import { shared } from '../src/view3d/shared'
import { areaOf, edgeFor, holdSeams, movable, ReliefPlate } from '../src/view3d/relief'

const MOST = 30_000

interface Corner {
  at: [number, number, number]
  uv: [number, number]
  out: [number, number, number]
}
function meshOf(corners: Corner[]): Mesh {
  const geometry = new BufferGeometry()
  const attribute = (of: (c: Corner) => number[], size: number) =>
    new BufferAttribute(new Float32Array(corners.flatMap(of)), size)
  geometry.setAttribute(
    'position',
    attribute((c) => c.at, 3),
  )
  geometry.setAttribute(
    'normal',
    attribute((c) => c.out, 3),
  )
  geometry.setAttribute(
    '_outward',
    attribute((c) => c.out, 3),
  )
  geometry.setAttribute(
    'uv',
    attribute((c) => c.uv, 2),
  )
  return new Mesh(geometry)
}
const plateOf = (size: number, height: (x: number, y: number) => number) => {
  const plate = new ReliefPlate()
  const values = Uint16Array.from({ length: size * size }, (_, k) =>
    DataUtils.toHalfFloat(height(k % size, Math.floor(k / size))),
  )
  plate.put('any', new Uint8Array(values.buffer))
  return plate
}
const up: [number, number, number] = [0, 0, 1]
const tri = (at: [number, number][], uv: [number, number][], out = up, z = 0): Corner[] =>
  at.map((p, k) => ({ at: [p[0], p[1], z], uv: uv[k], out }))
/** Two triangles that meet on the line from (0, 0) to (0, 1); their UVs do not. */
const parted = () => [
  ...tri([[0, 0], [0, 1], [-1, 0]], [[0.1, 0.1], [0.1, 0.4], [0.4, 0.1]]), // prettier-ignore
  ...tri([[0, 0], [1, 0], [0, 1]], [[0.6, 0.6], [0.9, 0.6], [0.6, 0.9]]), // prettier-ignore
]
/** What the shader makes of a corner: `MOVED`. */
function heights(mesh: Mesh, plate: ReliefPlate): Map<string, number[]> {
  const [at, uv, held] = ['position', 'uv', 'limusHeld'].map((name) => mesh.geometry.getAttribute(name))
  const found = new Map<string, number[]>()
  for (let k = 0; k < at.count; k++) {
    const read = plate.at(uv.getX(k), uv.getY(k))
    const height = read + (held.getX(k) - read) * held.getY(k)
    const key = `${at.getX(k).toFixed(5)} ${at.getY(k).toFixed(5)}`
    found.set(key, [...(found.get(key) ?? []), height])
  }
  return found
}
const apart = (list: number[]) => Math.max(...list) - Math.min(...list)

describe('a plate of relief', () => {
  const plate = plateOf(4, (x, y) => x + 10 * y)
  test('reads a texel in its middle and goes straight between', () => {
    for (const [x, y] of [
      [0, 0],
      [2, 1],
      [3, 3],
    ])
      expect(plate.at((x + 0.5) / 4, (y + 0.5) / 4)).toBe(x + 10 * y)
    expect(plate.at(2 / 4, 2.5 / 4)).toBeCloseTo(1.5 + 20, 6)
  })
  test('goes on beyond its border as it ends', () => {
    expect(plate.at(0, 0)).toBe(0)
    expect(plate.at(1, 1)).toBe(33)
  })
  test('is the same plate while its content is', () => {
    expect(plate.put('any', new Uint8Array(2))).toBe(false)
  })
})

describe('where UVs jump', () => {
  const plate = plateOf(8, (x, y) => Math.sin(3 * x) + 0.3 * y)
  test('both sides stand at one height, the mean of what they read', () => {
    const mesh = movable(meshOf(parted()), 0.25, 10_000, new MeshDepthMaterial())
    const before = heights(mesh, plate)
    const line = [...before.keys()].filter((key) => key.startsWith('0.00000'))
    expect(line.length).toBeGreaterThan(4)
    // Without it they are torn, or this test shows nothing.
    expect(Math.max(...line.map((key) => apart(before.get(key)!)))).toBeGreaterThan(0.1)
    holdSeams(mesh, plate)
    const after = heights(mesh, plate)
    for (const key of line) {
      expect(apart(after.get(key)!)).toBeLessThan(1e-6)
      const [low, high] = [Math.min(...before.get(key)!), Math.max(...before.get(key)!)]
      expect(after.get(key)![0]).toBeCloseTo((low + high) / 2, 5)
    }
    // Beside the seam nothing was touched.
    for (const [key, list] of after) if (!line.includes(key)) expect(list).toEqual(before.get(key))
  })
  test('where they go on there is no seam', () => {
    const whole = [
      ...tri([[0, 0], [0, 1], [-1, 0]], [[0.5, 0.1], [0.5, 0.4], [0.2, 0.1]]), // prettier-ignore
      ...tri([[0, 0], [1, 0], [0, 1]], [[0.5, 0.1], [0.8, 0.1], [0.5, 0.4]]), // prettier-ignore
    ]
    expect(movable(meshOf(whole), 0.25, 10_000, new MeshDepthMaterial()).userData.seams).toEqual([])
  })
  test('front and back of something thin go apart', () => {
    const front = tri([[0, 0], [1, 0], [0, 1]], [[0.1, 0.1], [0.4, 0.1], [0.1, 0.4]]) // prettier-ignore
    const back = tri([[0, 0], [0, 1], [1, 0]], [[0.6, 0.6], [0.6, 0.9], [0.9, 0.6]], [0, 0, -1]) // prettier-ignore
    expect(movable(meshOf([...front, ...back]), 0.25, 10_000, new MeshDepthMaterial()).userData.seams).toEqual([])
  })
})

describe('how finely an object is cut', () => {
  const square = (side: number) =>
    meshOf([
      ...tri([[0, 0], [side, 0], [side, side]], [[0, 0], [1, 0], [1, 1]]), // prettier-ignore
      ...tri([[0, 0], [side, side], [0, side]], [[0, 0], [1, 1], [0, 1]]), // prettier-ignore
    ])
  const count = (mesh: Mesh) => mesh.geometry.getIndex()!.count / 3
  const cut = (side: number) =>
    count(movable(square(side), edgeFor(areaOf(square(side)), MOST), 10 * MOST, new MeshDepthMaterial()))
  test('its area is that of its triangles', () => {
    expect(areaOf(square(3))).toBeCloseTo(9, 5)
  })
  test('into about as many triangles as there may be, whether it is large or small', () => {
    for (const side of [0.05, 1, 1.3, 20]) {
      expect(cut(side)).toBeLessThan(1.5 * MOST)
      expect(cut(side)).toBeGreaterThan(MOST / 2)
    }
  })
  test('all its parts together, however many they are', () => {
    const parts = [3, 1, 0.5, 0.5, 0.2, 2, 2, 1].map((side) => ({ mesh: square(side), page: 0 }))
    const made = new MovedMeshes(parts, [plateOf(1, () => 0)], MOST, () => {})
    const counts = made.shown.map(({ mesh }) => count(mesh))
    const all = counts.reduce((a, b) => a + b)
    expect(all).toBeLessThan(1.5 * MOST)
    expect(all).toBeGreaterThan(MOST / 2)
    // The largest has the most of them, by its area.
    expect(counts[0] / all).toBeGreaterThan(0.25)
    made.dispose()
    expect(parts.map(({ mesh }) => mesh.children.length)).toEqual(parts.map(() => 0))
  })
  test('near by too, and most of it what fills the view', async () => {
    vi.stubGlobal(
      'Worker',
      class {
        onmessage?: (event: { data: unknown }) => void
        terminate() {}
        postMessage({ corners, sight, most }: Order) {
          const made = shared(refined(corners, Math.min(sight.finest, sight.usual), most, edgesIn(sight)))
          queueMicrotask(() => this.onmessage?.({ data: made }))
        }
      },
    )
    const parts = [20, 0.2, 0.2, 0.2].map((side, k) => {
      const mesh = square(side)
      mesh.position.set(k ? 0.3 * k : 0, 0, k ? 0.1 : 0)
      return { mesh, page: 0 }
    })
    const moved = new MovedMeshes(parts, [plateOf(1, () => 0)], MOST, () => {})
    const far = moved.shown.map(({ mesh }) => count(mesh))
    const camera = new PerspectiveCamera(50, 1, 0.01, 100)
    camera.position.set(0.5, 0.3, 1.5)
    camera.lookAt(0.5, 0.3, 0)
    camera.updateMatrixWorld()
    expect(await moved.comeNear(camera, 2000, 1e-4)).toBe(true)
    const near = moved.shown.map(({ mesh }) => count(mesh))
    expect(near.reduce((a, b) => a + b)).toBeLessThanOrEqual(MOST)
    // From far a small part has a handful.
    expect(near[1]).toBeGreaterThan(10 * far[1])
    expect(near[0]).toBeGreaterThan(MOST / 4)
    // From the same place nothing is made again.
    expect(await moved.comeNear(camera, 2000, 1e-4)).toBe(false)
    expect(moved.goFar()).toBe(true)
    expect(moved.shown.map(({ mesh }) => count(mesh))).toEqual(far)
    vi.unstubAllGlobals()
  })
  test('and into no more than its share', () => {
    const some = count(movable(square(1), 1e-4, 5_000, new MeshDepthMaterial()))
    expect(some).toBeLessThanOrEqual(5_000)
    expect(some).toBeGreaterThan(1_000)
  })
})
