import { MeshBasicMaterial, type Material, type WebGLRenderer } from 'three'
import { mapBytes } from '../api/pictures'
import type { Evaluation } from '../api/scene'
import type { Packing } from './packing'
import { picturesOf } from './mapBytes'
import { Plate } from './plate'
import { SurfaceMaterial } from './surfaceMaterial'

/** Maps of another answer than the one on the screen, on materials of their own: for what is shown beside it. */
export class SecondSurface {
  private readonly lit: SurfaceMaterial[]
  private readonly looks: Plate[]
  private readonly flat: MeshBasicMaterial[]
  materials: Material[]

  constructor(renderer: WebGLRenderer, packing: Packing, pages: number) {
    const each = Array.from({ length: pages })
    this.lit = each.map(() => new SurfaceMaterial(renderer.capabilities.maxTextures, packing))
    this.looks = each.map(() => new Plate(true))
    this.flat = this.looks.map((plate) => new MeshBasicMaterial({ map: plate.texture, toneMapped: false }))
    this.materials = this.lit
  }

  /** Put an answer on: its maps, or what it looks through. */
  async put(found: Pick<Evaluation, 'maps' | 'look'>) {
    if (found.look) {
      const hashes = found.look.maps
      const bytes = await Promise.all(hashes.map(mapBytes))
      this.looks.forEach((plate, k) => {
        if (plate.put(hashes[k], bytes[k])) this.flat[k].map = plate.texture
      })
      this.materials = this.flat
      return
    }
    const maps = found.maps!
    const pictures = await picturesOf(maps, this.lit.length)
    this.lit.forEach((material, k) => material.put(pictures[k], maps))
    this.materials = this.lit
  }

  dispose() {
    for (const one of [...this.lit, ...this.flat]) one.dispose()
    for (const plate of this.looks) plate.texture.dispose()
  }
}
