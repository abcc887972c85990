import {
  DataTexture, HalfFloatType, LinearFilter, Mesh, RedFormat, RGBADepthPacking, MeshDepthMaterial, BufferAttribute, type BufferGeometry,
  type WebGLProgramParametersWithUniforms,
} from 'three' // prettier-ignore
import { TessellateModifier } from 'three/addons/modifiers/TessellateModifier.js'
import { PLAIN } from './plate'

/** Triangles of the whole object that relief is shown with. */
const MOST = PLAIN ? 30_000 : 260_000

/** Shader text that moves a vertex by the relief, in metres along the way out of the surface. */
export const MOVED = `
#include <begin_vertex>
transformed += limusAway * texture2D( limusRelief, vec2( uv ) ).r * 0.001;`
export const MOVED_PARS = 'attribute vec3 limusAway; uniform sampler2D limusRelief;'

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
  put(hash: string, bytes: Uint8Array) {
    if (hash === this.hash) return
    this.hash = hash
    const values = new Uint16Array(bytes.buffer, bytes.byteOffset, bytes.byteLength / 2)
    this.texture.dispose()
    this.texture = this.make(values, Math.round(Math.sqrt(values.length)))
  }
}

/** The way out of the surface at each vertex, one for all vertices in a place, so that edges do not tear open. */
function outward(geometry: BufferGeometry): BufferAttribute {
  const at = geometry.getAttribute('position')
  const normal = geometry.getAttribute('normal')
  const sums = new Map<string, [number, number, number]>()
  const box = geometry.boundingBox ?? (geometry.computeBoundingBox(), geometry.boundingBox!)
  const fine = 1e5 / Math.max(1e-9, box.max.distanceTo(box.min))
  const keys: string[] = []
  for (let k = 0; k < at.count; k++) {
    const key = `${Math.round(at.getX(k) * fine)},${Math.round(at.getY(k) * fine)},${Math.round(at.getZ(k) * fine)}`
    keys.push(key)
    const sum = sums.get(key) ?? [0, 0, 0]
    sum[0] += normal.getX(k)
    sum[1] += normal.getY(k)
    sum[2] += normal.getZ(k)
    sums.set(key, sum)
  }
  const out = new Float32Array(at.count * 3)
  for (let k = 0; k < at.count; k++) {
    const [x, y, z] = sums.get(keys[k])!
    const length = Math.hypot(x, y, z) || 1
    out.set([x / length, y / length, z / length], k * 3)
  }
  return new BufferAttribute(out, 3)
}

/** A finer copy of a mesh of the view, whose vertices follow the relief. */
export function movable(mesh: Mesh, edge: number, depth: MeshDepthMaterial): Mesh {
  const geometry = mesh.geometry.clone()
  geometry.deleteAttribute('tangent')
  geometry.setAttribute('limusAway', outward(geometry))
  const fine = new TessellateModifier(edge, 9).modify(geometry)
  geometry.dispose()
  // The tessellation knows the usual attributes only: the way out is found again on its corners.
  fine.setAttribute('limusAway', outward(fine))
  const out = new Mesh(fine, mesh.material)
  out.castShadow = out.receiveShadow = true
  out.customDepthMaterial = depth
  // Clicks go to the mesh as it is.
  out.raycast = () => {}
  return out
}

/** Longest edge in metres with which an object of this area has about as many triangles as can be drawn. */
export const edgeFor = (area: number) => Math.sqrt((area * 2.31) / MOST)

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
    shader.vertexShader = `${MOVED_PARS}\n${shader.vertexShader}`.replace('#include <begin_vertex>', MOVED)
  }
  return material
}
