import {
  DataTexture,
  DataUtils,
  HalfFloatType,
  LinearFilter,
  Mesh,
  RedFormat,
  RGBADepthPacking,
  MeshDepthMaterial,
  BufferAttribute,
  BufferGeometry,
  Vector3,
  type InterleavedBufferAttribute,
  type WebGLProgramParametersWithUniforms,
} from 'three'
import { refined, type Corners } from './refine'
import { anchored, MOVED, MOVED_PARS } from './shader'
import { shared, type Shared } from './shared'

/** The relief of one map set as a texture, in millimetres. */
export class ReliefPlate {
  texture = this.make(new Uint16Array([0]), 1)
  hash = ''
  private make(values: Uint16Array, size: number): DataTexture {
    const texture = new DataTexture(values as Uint16Array<ArrayBuffer>, size, size, RedFormat, HalfFloatType)
    texture.magFilter = texture.minFilter = LinearFilter
    texture.needsUpdate = true
    return texture
  }
  /** Whether it is another one than before. */
  put(hash: string, bytes: Uint8Array): boolean {
    if (hash === this.hash) return false
    this.hash = hash
    const values = new Uint16Array(bytes.buffer, bytes.byteOffset, bytes.byteLength / 2)
    this.texture.dispose()
    this.size = Math.round(Math.sqrt(values.length))
    this.values = values
    this.texture = this.make(values, this.size)
    return true
  }
  private values: Uint16Array = new Uint16Array([0])
  private size = 1
  /** What the shader reads at a place of the map. */
  at(u: number, v: number): number {
    const held = (x: number) => Math.min(this.size - 1, Math.max(0, x))
    const x = u * this.size - 0.5
    const y = v * this.size - 0.5
    const [x0, y0] = [Math.floor(x), Math.floor(y)]
    const of = (i: number, j: number) => DataUtils.fromHalfFloat(this.values[held(j) * this.size + held(i)])
    const low = of(x0, y0) + (of(x0 + 1, y0) - of(x0, y0)) * (x - x0)
    const high = of(x0, y0 + 1) + (of(x0 + 1, y0 + 1) - of(x0, y0 + 1)) * (x - x0)
    return low + (high - low) * (y - y0)
  }
}

/** Vertices of a finer mesh that lie in one place with several UVs, and of them one for each UV. */
interface Seam {
  vertices: number[]
  readers: number[]
}

/**
 * Where UVs jump. Each side of a seam reads the relief on its own side of the map; what they read differs by a texel's
 * slope, and that tears open. Front and back of something thin lie in one place too, but go apart: those are no seam.
 */
function seamsOf(vertex: Int32Array, uv: Float32Array, away: Float32Array): Seam[] {
  const highest = vertex.reduce((most, v) => Math.max(most, v), 0)
  const first = new Int32Array(highest + 1).fill(-1)
  const dot = (a: number, b: number) =>
    away[3 * a] * away[3 * b] + away[3 * a + 1] * away[3 * b + 1] + away[3 * a + 2] * away[3 * b + 2]
  const alike = (a: number, b: number) =>
    Math.abs(uv[2 * a] - uv[2 * b]) + Math.abs(uv[2 * a + 1] - uv[2 * b + 1]) < 1e-5
  const jumps = new Uint8Array(highest + 1)
  for (let k = 0; k < vertex.length; k++) {
    const f = first[vertex[k]]
    if (f < 0) first[vertex[k]] = k
    else if (!alike(f, k)) jumps[vertex[k]] = 1
  }
  const seams = new Map<number, Seam>()
  for (let k = 0; k < vertex.length; k++) {
    if (!jumps[vertex[k]]) continue
    const side = 2 * vertex[k] + (dot(first[vertex[k]], k) < 0 ? 1 : 0)
    let seam = seams.get(side)
    if (!seam) seams.set(side, (seam = { vertices: [], readers: [] }))
    seam.vertices.push(k)
    if (!seam.readers.some((r) => alike(r, k))) seam.readers.push(k)
  }
  return [...seams.values()].filter((seam) => seam.readers.length > 1)
}

/** Let both sides of every seam of a finer mesh stand as high as the mean of what they read. */
export function holdSeams(mesh: Mesh, plate: ReliefPlate) {
  const uv = mesh.geometry.getAttribute('uv')
  const held = mesh.geometry.getAttribute('limusHeld') as BufferAttribute
  for (const { vertices, readers } of mesh.userData.seams as Seam[]) {
    let sum = 0
    for (const r of readers) sum += plate.at(uv.getX(r), uv.getY(r))
    for (const k of vertices) held.setXY(k, sum / readers.length, 1)
  }
  held.needsUpdate = true
}

/** For each vertex the first one in the same place. */
function owners(geometry: BufferGeometry): Int32Array {
  const at = geometry.getAttribute('position')
  const box = geometry.boundingBox ?? (geometry.computeBoundingBox(), geometry.boundingBox!)
  const fine = 1e5 / Math.max(1e-9, box.max.distanceTo(box.min))
  // Places by a hash table in plain arrays: hundreds of thousands of strings would hold the page up for seconds.
  const slots = 1 << Math.ceil(Math.log2(Math.max(16, 2 * at.count)))
  const first = new Int32Array(slots).fill(-1)
  const place = new Int32Array(3 * at.count)
  const owner = new Int32Array(at.count)
  for (let k = 0; k < at.count; k++) {
    const x = Math.round(at.getX(k) * fine)
    const y = Math.round(at.getY(k) * fine)
    const z = Math.round(at.getZ(k) * fine)
    place.set([x, y, z], 3 * k)
    let slot = (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791)) & (slots - 1)
    for (;;) {
      const j = first[slot]
      if (j < 0) {
        first[slot] = owner[k] = k
        break
      }
      if (place[3 * j] === x && place[3 * j + 1] === y && place[3 * j + 2] === z) {
        owner[k] = j
        break
      }
      slot = (slot + 1) & (slots - 1)
    }
  }
  return owner
}

const CARRIED = ['normal', 'uv'] as const
const sizeOf = (name: string) => (name === 'uv' ? 2 : 3)

/** Asked for whenever the camera stops near by; the mesh stays the same. */
const known = new WeakMap<BufferGeometry, Int32Array>()

/** What a mesh of the view is refined from. */
export function cornersOf(mesh: Mesh): Corners {
  const whole = mesh.geometry
  let owner = known.get(whole)
  if (!owner) known.set(whole, (owner = owners(whole)))
  const first = owner
  const index = whole.getIndex()
  const count = index ? index.count : whole.getAttribute('position').count
  const corners = (name: BufferAttribute | InterleavedBufferAttribute, size: number) => {
    const values = new Float32Array(count * size)
    for (let k = 0; k < count; k++)
      for (let c = 0; c < size; c++) values[k * size + c] = name.getComponent(index ? index.getX(k) : k, c)
    return values
  }
  return {
    place: corners(whole.getAttribute('position'), 3),
    vertex: Int32Array.from({ length: count }, (_, k) => first[index ? index.getX(k) : k]),
    more: [
      // The core says which way each vertex goes, one way for all that meet in a place, so that edges do not tear
      // open.
      { values: corners(whole.getAttribute('_outward'), 3), size: 3 },
      ...CARRIED.map((name) => ({ values: corners(whole.getAttribute(name), sizeOf(name)), size: sizeOf(name) })),
    ],
  }
}

/** A mesh whose vertices follow the relief, of what was refined. */
export function movedMesh(made: Shared, material: Mesh['material'], depth: MeshDepthMaterial): Mesh {
  const fine = new BufferGeometry()
  fine.setIndex(new BufferAttribute(made.index, 1))
  fine.setAttribute('position', new BufferAttribute(made.place, 3))
  fine.setAttribute('limusAway', new BufferAttribute(made.more[0].values, 3))
  CARRIED.forEach((name, k) =>
    fine.setAttribute(name, new BufferAttribute(made.more[k + 1].values, made.more[k + 1].size)),
  )
  fine.setAttribute('limusHeld', new BufferAttribute(new Float32Array((made.place.length / 3) * 2), 2))
  const out = new Mesh(fine, material)
  out.userData.seams = seamsOf(made.vertex, made.more[CARRIED.indexOf('uv') + 1].values, made.more[0].values)
  out.castShadow = out.receiveShadow = true
  out.customDepthMaterial = depth
  // Clicks go to the mesh as it is.
  out.raycast = () => {}
  return out
}

/** A finer copy of a mesh of the view, of no more than `most` triangles, whose vertices follow the relief. */
export const movable = (mesh: Mesh, edge: number, most: number, depth: MeshDepthMaterial): Mesh =>
  movedMesh(shared(refined(cornersOf(mesh), edge, most)), mesh.material, depth)

/** Metres squared that the triangles of a mesh take. */
export function areaOf(mesh: Mesh): number {
  const at = mesh.geometry.getAttribute('position')
  const index = mesh.geometry.getIndex()
  const [a, b, c] = [new Vector3(), new Vector3(), new Vector3()]
  let sum = 0
  for (let k = 0; k < (index ?? at).count; k += 3) {
    ;[a, b, c].forEach((corner, e) => corner.fromBufferAttribute(at, index ? index.getX(k + e) : k + e))
    sum += b.sub(a).cross(c.sub(a)).length() / 2
  }
  return sum
}

/**
 * Longest edge in metres with which so large an object has about `most` triangles. Halving the longest edge leaves
 * right-angled ones whose longest edges go from half of what is allowed to all of it: 0.15 of its square on the mean.
 */
export const edgeFor = (area: number, most: number) => Math.sqrt(area / (0.15 * most))

/** Shadows of the moved surface. */
export function depthOf(plate: ReliefPlate): MeshDepthMaterial {
  const material = new MeshDepthMaterial({ depthPacking: RGBADepthPacking })
  material.onBeforeCompile = (shader: WebGLProgramParametersWithUniforms) => {
    Object.defineProperty(shader.uniforms, 'limusRelief', {
      enumerable: true,
      value: {
        get value() {
          return plate.texture
        },
      },
    })
    shader.vertexShader = anchored(`${MOVED_PARS}\n${shader.vertexShader}`, '#include <begin_vertex>', MOVED)
  }
  return material
}
