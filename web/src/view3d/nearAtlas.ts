import {
  Box2, DataTexture, HalfFloatType, LinearFilter, NearestFilter, NoColorSpace, RedFormat, RGBAFormat, SRGBColorSpace,
  UnsignedByteType, Vector2, type WebGLRenderer,
} from 'three' // prettier-ignore
import type { Tile } from '../api/scene'

/** Pixels along a side of a tile and around it, as the core has them (`looks/close.py`). */
export const TILE = 256
export const BORDER = 4
const SIDE = TILE + 2 * BORDER
/** Cells along a side of a map set in its table: tiles of the finest density. */
const CELLS = 256
/** What the relief is called among the pictures. */
export const RELIEF = 'relief'
/** Slots along a side of an atlas. */
export const ACROSS = 7

export const nameOf = ({ page, x, y, density }: Tile) => `${density} ${page} ${x} ${y}`

/**
 * Tiles of maps that are finer than the maps: one atlas for each picture, and a table for each map set that says which
 * slot shows a cell of it. What was seen longest ago gives way.
 */
export class NearAtlas {
  readonly textures: Map<string, DataTexture>
  readonly tables: DataTexture[]
  private readonly slots = new Map<string, { tile: Tile; slot: number }>()
  private readonly scratch: Map<string, DataTexture>

  constructor(
    private readonly renderer: WebGLRenderer,
    pages: number,
    readonly names: string[],
    colours: Set<string>,
  ) {
    const made = (side: number, name: string) => {
      const texture =
        name === RELIEF
          ? new DataTexture(new Uint16Array(side * side), side, side, RedFormat, HalfFloatType)
          : new DataTexture(new Uint8Array(side * side * 4), side, side, RGBAFormat, UnsignedByteType)
      texture.colorSpace = colours.has(name) ? SRGBColorSpace : NoColorSpace
      texture.magFilter = texture.minFilter = LinearFilter
      texture.needsUpdate = true
      return texture
    }
    this.textures = new Map(names.map((name) => [name, made(ACROSS * SIDE, name)]))
    this.scratch = new Map(names.map((name) => [name, made(SIDE, name)]))
    this.tables = Array.from({ length: pages }, () => {
      const table = made(CELLS, '')
      table.magFilter = table.minFilter = NearestFilter
      return table
    })
  }

  has = (tile: Tile) => this.slots.has(nameOf(tile))
  get count() {
    return this.slots.size
  }

  /** These are seen now: they go last. */
  seen(tiles: Tile[]) {
    for (const tile of tiles) {
      const found = this.slots.get(nameOf(tile))
      if (!found) continue
      this.slots.delete(nameOf(tile))
      this.slots.set(nameOf(tile), found)
    }
  }

  put(tile: Tile, pictures: Map<string, Uint8Array>) {
    let slot = this.slots.size
    if (slot >= ACROSS * ACROSS) {
      const [oldest, gone] = this.slots.entries().next().value!
      this.slots.delete(oldest)
      slot = gone.slot
    }
    const at = new Vector2((slot % ACROSS) * SIDE, Math.floor(slot / ACROSS) * SIDE)
    const all = new Box2(new Vector2(0, 0), new Vector2(SIDE, SIDE))
    for (const name of this.names) {
      const bytes = pictures.get(name)
      const texture = this.scratch.get(name)!
      const values = texture.image.data as Uint8Array | Uint16Array
      // Mm as half floats, or bytes.
      const data = new Uint8Array(values.buffer)
      if (!bytes) data.fill(name === RELIEF ? 0 : 255)
      else if (bytes.length === data.length) data.set(bytes)
      else for (let k = 0; k < data.length; k += bytes.length) data.set(bytes, k)
      texture.needsUpdate = true
      this.renderer.copyTextureToTexture(texture, this.textures.get(name)!, all, at)
    }
    this.slots.set(nameOf(tile), { tile, slot })
    this.tell()
  }

  /** Nothing is near any more: what is there belongs to another surface. */
  clear() {
    if (!this.slots.size) return
    this.slots.clear()
    this.tell()
  }

  /** The tables anew: coarse tiles first, finer ones over them. */
  private tell() {
    for (const table of this.tables) (table.image.data as Uint8Array).fill(0)
    const all = [...this.slots.values()].sort((a, b) => a.tile.density - b.tile.density)
    for (const { tile, slot } of all) {
      const data = this.tables[tile.page]?.image.data as Uint8Array | undefined
      if (!data) continue
      const across = tile.density / TILE
      const cells = CELLS / across
      for (let v = tile.y * cells; v < (tile.y + 1) * cells; v++)
        for (let u = tile.x * cells; u < (tile.x + 1) * cells; u++)
          data.set([slot % ACROSS, Math.floor(slot / ACROSS), Math.log2(across), 255], 4 * (v * CELLS + u))
    }
    for (const table of this.tables) table.needsUpdate = true
  }

  dispose() {
    for (const texture of [...this.textures.values(), ...this.scratch.values(), ...this.tables]) texture.dispose()
  }
}
