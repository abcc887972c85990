import type { Material, Mesh, MeshDepthMaterial, PerspectiveCamera } from 'three'
import { sightOf, type Sight } from './nearEdges'
import { buffersOf } from './refine'
import type { Order } from './refineWorker'
import { areaOf, cornersOf, depthOf, edgeFor, holdSeams, movable, movedMesh, type ReliefPlate } from './relief'
import type { Shared } from './shared'

export interface Placed {
  mesh: Mesh
  page: number
}
/** Longer edges where nobody looks are good enough, as many times. */
const ELSEWHERE = 2

/**
 * The meshes that follow the relief: of the whole object, made when they are first wanted, and for parts that the view
 * has come near to one that is finer where it looks.
 */
export class MovedMeshes {
  private readonly whole: Placed[] = []
  private readonly nearby = new Map<number, Mesh>()
  private readonly depths: MeshDepthMaterial[]
  private worker?: Worker
  private turn = 0

  /** Metres, for all of the object. */
  private readonly edge: number

  constructor(
    private readonly meshes: Placed[],
    private readonly plates: ReliefPlate[],
    /** Triangles of the whole object, about. */
    private readonly most: number,
    prepare: (depth: Material, page: number) => void,
  ) {
    const areas = meshes.map(({ mesh }) => areaOf(mesh))
    const all = Math.max(
      1e-9,
      areas.reduce((sum, area) => sum + area, 0),
    )
    this.edge = edgeFor(all, most)
    this.depths = plates.map(depthOf)
    this.depths.forEach(prepare)
    for (const [k, { mesh, page }] of meshes.entries()) {
      // Each its share, by its area.
      const made = movable(mesh, this.edge, (1.5 * most * areas[k]) / all, this.depths[page])
      holdSeams(made, plates[page])
      mesh.add(made)
      this.whole.push({ mesh: made, page })
    }
  }
  /** Those that are to be seen. */
  get shown(): Placed[] {
    return this.whole.map((one, k) => ({ ...one, mesh: this.nearby.get(k) ?? one.mesh }))
  }
  private get all(): Placed[] {
    return [...this.whole, ...[...this.nearby].map(([k, mesh]) => ({ mesh, page: this.meshes[k].page }))]
  }
  /** Seen with these materials, one for each map set; or not at all. */
  wear(materials?: Material[]) {
    for (const { mesh } of this.all) mesh.visible = false
    if (materials)
      for (const { mesh, page } of this.shown) {
        mesh.visible = true
        mesh.material = materials[page]
      }
  }
  /** Their shadows read another atlas than before. */
  anew() {
    for (const depth of this.depths) depth.needsUpdate = true
  }
  /** The relief of these map sets is another one. */
  hold(other: boolean[]) {
    for (const { mesh, page } of this.all) if (other[page]) holdSeams(mesh, this.plates[page])
  }

  /**
   * Finer where the camera looks, down to `finest` metres; resolves when it is done, with whether anything is another.
   * What was asked before this is forgotten.
   */
  async comeNear(camera: PerspectiveCamera, tall: number, finest: number): Promise<boolean> {
    camera.updateMatrixWorld()
    const from = [...camera.matrixWorld.elements, ...camera.projectionMatrix.elements, tall, finest].join()
    if (from === this.from) return false
    const mine = ++this.turn
    this.from = ''
    let other = false
    const seen: { k: number; sight: Sight; wide: number }[] = []
    for (const [k, { mesh }] of this.meshes.entries()) {
      const sight = sightOf(mesh, camera, tall, ELSEWHERE * this.edge, finest)
      const ball =
        mesh.geometry.boundingSphere ?? (mesh.geometry.computeBoundingSphere(), mesh.geometry.boundingSphere!)
      const { x, y, z } = ball.center
      const inSight = sight.planes.every(([a, b, c, off]) => a * x + b * y + c * z + off > -ball.radius)
      const triangles = (mesh.geometry.getIndex() ?? mesh.geometry.getAttribute('position')).count / 3
      // One that has as many triangles of its own is fine enough.
      if (inSight && triangles <= this.most / 2) {
        const away = Math.hypot(sight.eye[0] - x, sight.eye[1] - y, sight.eye[2] - z)
        seen.push({ k, sight, wide: ball.radius / Math.max(away, ball.radius) })
      } else other = this.wholeAgain(k) || other
    }
    // What one leaves of its share goes to those after it: what fills most of the view comes last.
    seen.sort((a, b) => a.wide - b.wide)
    let left = this.most
    for (const [nth, { k, sight }] of seen.entries()) {
      const { mesh, page } = this.meshes[k]
      const made = await this.refined({ corners: cornersOf(mesh), sight, most: left / (seen.length - nth) })
      if (mine !== this.turn || !made) return other
      left -= made.index.length / 3
      const fine = movedMesh(made, this.whole[k].mesh.material, this.depths[page])
      holdSeams(fine, this.plates[page])
      fine.visible = this.whole[k].mesh.visible || !!this.nearby.get(k)?.visible
      this.whole[k].mesh.visible = false
      this.drop(k)
      mesh.add(fine)
      this.nearby.set(k, fine)
      other = true
    }
    this.from = from
    return other
  }
  /** Where it was looked at from when it was made finer. */
  private from = ''
  private refined(order: Order): Promise<Shared | undefined> {
    this.callOff()
    const worker = (this.worker ??= new Worker(new URL('./refineWorker.ts', import.meta.url), { type: 'module' }))
    return new Promise((done) => {
      this.waiting = done
      worker.onmessage = ({ data }: MessageEvent<Shared>) => {
        this.waiting = undefined
        done(data)
      }
      // The mesh stays as it is.
      worker.onerror = () => this.callOff()
      worker.postMessage(order, buffersOf(order.corners))
    })
  }
  private waiting?: (made: undefined) => void
  /** What is under way for a view that is gone is not waited for. */
  private callOff() {
    if (!this.waiting) return
    this.worker?.terminate()
    this.worker = undefined
    this.waiting(undefined)
    this.waiting = undefined
  }
  /** The whole object again, as it is seen from far. */
  goFar(): boolean {
    this.turn++
    this.from = ''
    this.callOff()
    return [...this.nearby.keys()].map((k) => this.wholeAgain(k)).some(Boolean)
  }
  private wholeAgain(k: number): boolean {
    const mesh = this.nearby.get(k)
    if (!mesh) return false
    this.whole[k].mesh.visible = mesh.visible
    this.drop(k)
    return true
  }
  private drop(k: number) {
    const mesh = this.nearby.get(k)
    mesh?.removeFromParent()
    mesh?.geometry.dispose()
    this.nearby.delete(k)
  }
  dispose() {
    this.goFar()
    this.worker?.terminate()
    for (const { mesh } of this.whole) {
      mesh.removeFromParent()
      mesh.geometry.dispose()
    }
    for (const depth of this.depths) depth.dispose()
  }
}
