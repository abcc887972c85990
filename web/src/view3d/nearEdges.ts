import { Frustum, Matrix4, Vector3, type Mesh, type PerspectiveCamera } from 'three'
import type { EdgeOf } from './refine'

/** Pixels of the view that a triangle of what moves is to be wide, about. */
const PIXELS = 3

/** From where a mesh is looked at, in its own coordinates and metres; plain numbers, for a worker. */
export interface Sight {
  /** Six planes of what is in sight: normal and distance. */
  planes: number[][]
  eye: number[]
  /** Metres that a pixel is wide, for each metre of distance. */
  pixel: number
  /** Longest edge where it is not looked at, and shortest where it is. */
  usual: number
  finest: number
}

/** How a camera sees a mesh; `tall` is how many pixels the view has from top to bottom. */
export function sightOf(mesh: Mesh, camera: PerspectiveCamera, tall: number, usual: number, finest: number): Sight {
  mesh.updateWorldMatrix(true, false)
  const back = mesh.matrixWorld.clone().invert()
  const seen = new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse)
  const frustum = new Frustum().setFromProjectionMatrix(seen.multiply(mesh.matrixWorld))
  return {
    planes: frustum.planes.map(({ normal, constant }) => [...normal.toArray(), constant]),
    eye: new Vector3().setFromMatrixPosition(camera.matrixWorld).applyMatrix4(back).toArray(),
    pixel: (2 * Math.tan((camera.fov * Math.PI) / 360)) / (camera.zoom * tall),
    usual,
    finest,
  }
}

/** Short edges where a triangle is in sight and does not look away, as short as a few pixels there. */
export function edgesIn({ planes, eye, pixel, usual, finest }: Sight): EdgeOf {
  return (p, k) => {
    const [ax, ay, az, bx, by, bz, cx, cy, cz] = p.subarray(k, k + 9)
    const [x, y, z] = [(ax + bx + cx) / 3, (ay + by + cy) / 3, (az + bz + cz) / 3]
    const round = Math.max(
      Math.hypot(ax - x, ay - y, az - z),
      Math.hypot(bx - x, by - y, bz - z),
      Math.hypot(cx - x, cy - y, cz - z),
    )
    for (const [nx, ny, nz, off] of planes) if (nx * x + ny * y + nz * z + off < -round) return usual
    const [vx, vy, vz] = [eye[0] - x, eye[1] - y, eye[2] - z]
    const away = Math.hypot(vx, vy, vz)
    // Those that look away far enough that no relief turns them round; large ones may bend towards the eye.
    const nx = (by - ay) * (cz - az) - (bz - az) * (cy - ay)
    const ny = (bz - az) * (cx - ax) - (bx - ax) * (cz - az)
    const nz = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    if (nx * vx + ny * vy + nz * vz < -0.5 * away * Math.hypot(nx, ny, nz)) return usual
    return Math.min(usual, Math.max(finest, PIXELS * pixel * Math.max(away - round, 0)))
  }
}
