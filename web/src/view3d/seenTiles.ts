import {
  Color,
  FloatType,
  NearestFilter,
  RGBAFormat,
  ShaderMaterial,
  WebGLRenderTarget,
  type Mesh,
  type PerspectiveCamera,
  type Scene,
  type WebGLRenderer,
} from 'three'
import type { Tile } from '../api/scene'
import { TILE } from './nearAtlas'

/** Places of the view that are looked at. */
const WIDE = 112
const TALL = 72
/** Densities that are drawn: a few, for each of them is decided once for the whole object. */
const DENSITIES = [2048, 4096, 16384, 65536]

export interface Seen {
  density: number
  /** Those nearest to the middle of the view first. */
  tiles: Tile[]
}

/**
 * Which tiles of which maps the view shows, and how dense they have to be for its pixels: by a small pass that writes
 * where on the maps each place lies, and how much of them a pixel covers.
 */
export class SeenTiles {
  private readonly target = new WebGLRenderTarget(WIDE, TALL, {
    type: FloatType,
    format: RGBAFormat,
    magFilter: NearestFilter,
    minFilter: NearestFilter,
  })
  private readonly materials: ShaderMaterial[] = []
  private readonly read = new Float32Array(WIDE * TALL * 4)

  constructor(private readonly renderer: WebGLRenderer) {}

  private material(page: number): ShaderMaterial {
    return (this.materials[page] ??= new ShaderMaterial({
      uniforms: { page: { value: page } },
      vertexShader: `varying vec2 vAt;
        void main() { vAt = uv; gl_Position = projectionMatrix * modelViewMatrix * vec4( position, 1.0 ); }`,
      fragmentShader: `uniform float page; varying vec2 vAt;
        void main() {
          vec2 across = dFdx( vAt ), up = dFdy( vAt );
          gl_FragColor = vec4( fract( vAt ), page + 1.0, sqrt( abs( across.x * up.y - across.y * up.x ) ) );
        }`,
    }))
  }

  /**
   * What is seen now. `meshes` are drawn with nothing else of the scene; `now` is how dense the maps are, `most` how
   * dense tiles may be, and `count` how many there may be at most. Nothing where the maps are fine enough.
   */
  look(
    scene: Scene,
    camera: PerspectiveCamera,
    meshes: { mesh: Mesh; page: number }[],
    width: number,
    now: number,
    most: number,
    count: number,
  ): Seen | undefined {
    const hidden = scene.children.filter((child) => child.visible && !meshes.some(({ mesh }) => has(child, mesh)))
    const worn = meshes.map(({ mesh }) => mesh.material)
    const [colour, alpha] = [this.renderer.getClearColor(new Color()), this.renderer.getClearAlpha()]
    const room = scene.environment
    for (const child of hidden) child.visible = false
    meshes.forEach(({ mesh, page }) => (mesh.material = this.material(page)))
    scene.environment = null
    this.renderer.setClearColor(0x000000, 0)
    this.renderer.setRenderTarget(this.target)
    this.renderer.clear()
    this.renderer.render(scene, camera)
    this.renderer.setRenderTarget(null)
    this.renderer.readRenderTargetPixels(this.target, 0, 0, WIDE, TALL, this.read)
    this.renderer.setClearColor(colour, alpha)
    scene.environment = room
    meshes.forEach(({ mesh }, k) => (mesh.material = worn[k]))
    for (const child of hidden) child.visible = true
    return tilesOf(this.read, WIDE, TALL, width, now, most, count)
  }

  dispose() {
    this.target.dispose()
    for (const material of this.materials) material?.dispose()
  }
}

function has(parent: { children: unknown[] }, mesh: unknown): boolean {
  return parent === mesh || parent.children.some((child) => has(child as { children: unknown[] }, mesh))
}

/**
 * The tiles that a picture of places names: for each of `wide` x `tall` of them u, v, 1 + the map set (0: nothing), and
 * the root of the area of the map that it covers. `width` is how many pixels the view has across.
 */
export function tilesOf(
  places: Float32Array,
  wide: number,
  tall: number,
  width: number,
  now: number,
  most: number,
  count: number,
): Seen | undefined {
  const wanted: number[] = []
  const seen: { u: number; v: number; page: number; off: number; needs: number }[] = []
  for (let k = 0; k < wide * tall; k++) {
    const [u, v, page, covers] = places.subarray(4 * k, 4 * k + 4)
    if (page < 0.5 || !(covers > 0)) continue
    // One pixel of the view covers so much less than one place.
    const needs = width / wide / covers
    const off = Math.hypot((k % wide) / wide - 0.5, (Math.floor(k / wide) / tall - 0.5) * (tall / wide))
    seen.push({ u, v, page: Math.round(page) - 1, off, needs })
    if (off < 0.3) wanted.push(needs)
  }
  wanted.sort((a, b) => a - b)
  const needs = wanted[Math.floor(wanted.length / 2)]
  if (!needs || needs < 1.4 * now) return undefined
  // And the densest there is: a small object has none of the others.
  const able = [...new Set([...DENSITIES, most])].filter((one) => one <= most && one > now)
  if (!able.length) return undefined
  // The one that is nearest to a texel for each pixel.
  const density = able.reduce((a, b) => (Math.abs(Math.log2(b / needs)) < Math.abs(Math.log2(a / needs)) ? b : a))
  const across = density / TILE
  const found = new Map<string, { tile: Tile; off: number }>()
  for (const { u, v, page, off, needs: own } of seen) {
    // Where the maps are fine enough as they are, nothing finer would be seen.
    if (own < 1.2 * now) continue
    const x = Math.min(Math.floor(u * across), across - 1)
    const y = Math.min(Math.floor(v * across), across - 1)
    const name = `${page} ${x} ${y}`
    const old = found.get(name)
    if (!old || off < old.off) found.set(name, { tile: { page, x, y, density }, off })
  }
  const tiles = [...found.values()].sort((a, b) => a.off - b.off).map(({ tile }) => tile)
  return { density, tiles: tiles.slice(0, count) }
}
