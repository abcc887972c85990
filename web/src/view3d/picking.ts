import { BufferGeometry, Group, Mesh, Raycaster, Vector2, Vector3, type Camera } from 'three'

/** What lies under a point of the view. */
export interface Spot {
  page: number
  u: number
  v: number
  part: number
  point: Vector3
  /** Which way the surface faces there, unit length. */
  normal: Vector3
  /** Metres that a width of the picture covers there; only where it was found from the UVs. */
  perUv?: number
}

/** A mesh of the object and the number of its map set. */
export interface Part {
  mesh: Mesh
  page: number
}
const ray = new Raycaster()

/** Map set and UV under a point of the view (CSS pixels), or nothing. */
export function spotAt(
  x: number,
  y: number,
  canvas: HTMLCanvasElement,
  camera: Camera,
  model: Group,
  parts: Part[],
): Spot | undefined {
  const at = new Vector2((x / canvas.clientWidth) * 2 - 1, 1 - (y / canvas.clientHeight) * 2)
  ray.setFromCamera(at, camera)
  ray.firstHitOnly = true
  const hit = ray.intersectObject(model, true)[0]
  if (!hit) return
  const part = parts.findIndex((m) => m.mesh === hit.object)
  const normal = (hit.normal ?? hit.face?.normal ?? new Vector3(0, 1, 0)).clone().normalize()
  return { page: parts[part]?.page ?? 0, u: hit.uv?.x ?? 0, v: hit.uv?.y ?? 0, part, point: hit.point, normal }
}

/** The place of the surface that a point of a map set belongs to, or nothing. */
export function locate(parts: Part[], page: number, u: number, v: number): Spot | undefined {
  for (let part = 0; part < parts.length; part++) {
    const entry = parts[part]
    if (entry.page !== page) continue
    const geometry: BufferGeometry = entry.mesh.geometry
    const uv = geometry.getAttribute('uv')
    const index = geometry.getIndex()
    if (!uv || !index) continue
    for (let k = 0; k < index.count; k += 3) {
      const [a, b, c] = [index.getX(k), index.getX(k + 1), index.getX(k + 2)]
      const [d1x, d1y] = [uv.getX(b) - uv.getX(a), uv.getY(b) - uv.getY(a)]
      const [d2x, d2y] = [uv.getX(c) - uv.getX(a), uv.getY(c) - uv.getY(a)]
      const det = d1x * d2y - d2x * d1y
      if (Math.abs(det) < 1e-14) continue
      const [x, y] = [u - uv.getX(a), v - uv.getY(a)]
      const s = (x * d2y - d2x * y) / det
      const t = (d1x * y - x * d1y) / det
      if (s < 0 || t < 0 || s + t > 1) continue
      const position = geometry.getAttribute('position')
      const [p, q, r] = [a, b, c].map((i) => new Vector3().fromBufferAttribute(position, i))
      const normal = new Vector3().crossVectors(q.clone().sub(p), r.clone().sub(p))
      const perUv = Math.sqrt(normal.length() / Math.abs(det))
      normal.normalize()
      const point = p
        .multiplyScalar(1 - s - t)
        .addScaledVector(q, s)
        .addScaledVector(r, t)
      return { page, u, v, part, point, normal, perUv }
    }
  }
  return undefined
}

/** UV edges of a map set as pairs of points, for the UV view. */
export function outlines(parts: Part[], page: number): Float32Array {
  const out: number[] = []
  for (const entry of parts) {
    if (entry.page !== page) continue
    const geometry: BufferGeometry = entry.mesh.geometry
    const uv = geometry.getAttribute('uv')
    if (!uv) continue
    const index = geometry.getIndex()!
    const seen = new Map<number, number[]>()
    const count = uv.count
    for (let k = 0; k < index.count; k += 3) {
      for (let e = 0; e < 3; e++) {
        const a = index.getX(k + e)
        const b = index.getX(k + ((e + 1) % 3))
        const key = Math.min(a, b) * count + Math.max(a, b)
        if (seen.has(key)) seen.delete(key)
        else seen.set(key, [a, b])
      }
    }
    for (const [a, b] of seen.values()) out.push(uv.getX(a), uv.getY(a), uv.getX(b), uv.getY(b))
  }
  return new Float32Array(out)
}
