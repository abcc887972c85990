import type { WebGLRenderer } from 'three'
import type { Tile } from '../api/scene'
import { NearAtlas } from './nearAtlas'

/** Finer tiles over the maps, once the view has come near: of the lit surface, and of what is looked through. */
export class NearMaps {
  lit?: NearAtlas
  look?: NearAtlas

  constructor(private readonly renderer: WebGLRenderer) {}

  private of(flat: boolean) {
    return flat ? this.look : this.lit
  }
  /** Those of the tiles that are not there yet; the others are kept. */
  missing(tiles: Tile[], flat: boolean): Tile[] {
    const atlas = this.of(flat)
    atlas?.seen(tiles)
    return tiles.filter((tile) => !atlas?.has(tile))
  }
  /** Whether it took new textures to hold it, of these pictures for so many map sets. */
  put(
    tile: Tile,
    pictures: Map<string, Uint8Array>,
    flat: boolean,
    names: string[],
    pages: number,
    colours: Iterable<string>,
  ): boolean {
    let atlas = this.of(flat)
    const fresh = !atlas || atlas.names.join() !== names.join()
    if (!atlas || fresh) {
      atlas?.dispose()
      atlas = new NearAtlas(this.renderer, pages, names, new Set([...colours, 'look']))
      if (flat) this.look = atlas
      else this.lit = atlas
    }
    atlas.put(tile, pictures)
    return fresh
  }
  count(flat: boolean): number {
    return this.of(flat)?.count ?? 0
  }
  /** Whether there was anything to take away. */
  clear(): boolean {
    if (!this.lit?.count && !this.look?.count) return false
    this.lit?.clear()
    this.look?.clear()
    return true
  }
  dispose() {
    this.lit?.dispose()
    this.look?.dispose()
    this.lit = this.look = undefined
  }
}
