import { ShaderLib } from 'three'
import { describe, expect, test } from 'vitest'
import { NearAtlas, ACROSS, BORDER, TILE } from '../src/view3d/nearAtlas'
import { withNearRelief, withTaps } from '../src/view3d/nearShader'
import { MOVED, MOVED_PARS } from '../src/view3d/shader'
import { tilesOf } from '../src/view3d/seenTiles'

/** A picture of places: what `at` says of each, from left to right and from the bottom. */
function places(wide: number, tall: number, at: (x: number, y: number) => [number, number, number, number]) {
  return new Float32Array(Array.from({ length: wide * tall }, (_, k) => at(k % wide, Math.floor(k / wide))).flat())
}

describe('what the view sees', () => {
  test('tiles at a texel a pixel, the middle first', () => {
    // 100 places stand for 1000 pixels and a quarter of the map: a pixel needs 4000 texels along a side.
    const seen = tilesOf(
      places(100, 60, (x, y) => [0.25 + x / 400, 0.4 + y / 400, 1, 1 / 400]),
      100,
      60,
      1000,
      1024,
      65536,
      50,
    )!
    expect(seen.density).toBe(4096)
    // A quarter of 16 tiles across, and 0.15 of them down, begun ones among them.
    expect(new Set(seen.tiles.map((t) => t.x))).toEqual(new Set([4, 5, 6, 7]))
    expect(new Set(seen.tiles.map((t) => t.y))).toEqual(new Set([6, 7, 8]))
    expect([5, 6]).toContain(seen.tiles[0].x)
    expect(seen.tiles[0].y).toBe(7)
    const few = tilesOf(
      places(100, 60, (x, y) => [0.25 + x / 400, 0.4 + y / 400, 1, 1 / 400]),
      100,
      60,
      1000,
      1024,
      65536,
      3,
    )!
    expect(few.tiles).toEqual(seen.tiles.slice(0, 3))
  })
  test('nothing where the maps are fine enough, where nothing is seen, and no finer than allowed', () => {
    const near = (now: number, most: number) =>
      tilesOf(
        places(10, 10, (x, y) => [x / 40, y / 40, 1, 1 / 40]),
        10,
        10,
        1000,
        now,
        most,
        50,
      )
    expect(near(4096, 65536)).toBeUndefined()
    expect(near(1024, 1024)).toBeUndefined()
    expect(near(1024, 2048)!.density).toBe(2048)
    // An object of a few centimetres has no finer texels than these.
    expect(near(256, 1024)!.density).toBe(1024)
    expect(
      tilesOf(
        places(10, 10, () => [0, 0, 0, 0]),
        10,
        10,
        1000,
        1024,
        65536,
        50,
      ),
    ).toBeUndefined()
  })
  test('map sets are told apart, and what lies far behind is left as it is', () => {
    const seen = tilesOf(
      places(20, 10, (x, y) => (x < 10 ? [x / 80, y / 80, 1, 1 / 80] : [x / 80, y / 80, 2, x < 18 ? 1 / 80 : 1 / 4])),
      20, 10, 1000, 1024, 65536, 50,
    )! // prettier-ignore
    expect(new Set(seen.tiles.map((t) => t.page))).toEqual(new Set([0, 1]))
    // The last places of the second need a twentieth of the density.
    expect(Math.max(...seen.tiles.filter((t) => t.page === 1).map((t) => t.x))).toBeLessThan((18 / 80) * 16)
  })
})

describe('reading from the atlas', () => {
  const physical = ShaderLib.physical.fragmentShader
  test('every place where three reads a picture goes by the table', () => {
    const text = withTaps(physical, ['base_color', 'orm', 'normal', 'clear_coat'])
    for (const [sampler, picture] of [
      ['map', 'base_color'],
      ['roughnessMap', 'orm'],
      ['metalnessMap', 'orm'],
      ['aoMap', 'orm'],
      ['normalMap', 'normal'],
      ['clearcoatMap', 'clear_coat'],
    ])
      // prettier-ignore
      expect(text).toMatch(new RegExp(`limusTap\\( texture2D\\( ${sampler},[^)]*\\), limusNear_${picture}`))
    expect(text).not.toContain('#include')
    expect(text).not.toContain('limusNear_fuzz')
    expect(text.indexOf('vec4 limusTap(')).toBeLessThan(text.indexOf('void main()'))
  })
  test('a look through has an atlas of its own', () => {
    const text = withTaps(ShaderLib.basic.fragmentShader, ['look'], { map: 'look' })
    expect(text).toMatch(/limusTap\( texture2D\( map,[^)]*\), limusNear_look/)
    expect(() => withTaps('void main() {}', ['look'], { map: 'look' })).toThrow(/look/)
  })
  test('a vertex is moved by the relief of a tile where there is one', () => {
    const moved = `void main() {\n${MOVED}\n}`
    const text = withNearRelief(`${MOVED_PARS}\n${moved}`)
    expect(
      text.match(/limusTap\( vec4\( texture2D\( limusRelief, vec2\( uv \) \)\.r \), limusNear_relief/g),
    ).toHaveLength(1)
    expect(text).toContain('uniform sampler2D limusTable;')
    expect(() => withNearRelief('void main() {}')).toThrow(/limusRelief/)
  })
  test('a shader that reads a picture otherwise is a fault and not a coarse surface', () => {
    const other = physical.replace('#include <normal_fragment_maps>', '')
    expect(() => withTaps(other, ['base_color', 'orm', 'normal'])).toThrow(/normal/)
    expect(() => withTaps('#include <no_such_chunk>\nvoid main() {', [])).toThrow(/no_such_chunk/)
  })
})

describe('the atlas', () => {
  const copies: { x: number; y: number; first: number }[] = []
  const renderer = {
    copyTextureToTexture: (
      from: { image: { data: Uint8Array } },
      _to: unknown,
      _all: unknown,
      at: { x: number; y: number },
    ) => copies.push({ x: at.x, y: at.y, first: from.image.data[0] }),
  }
  const side = TILE + 2 * BORDER
  const made = () => new NearAtlas(renderer as never, 2, ['orm'], new Set())
  const tile = (x: number, density = 2048, page = 0) => ({ page, x, y: 1, density })
  const shade = (value: number) => new Map([['orm', new Uint8Array([value, value, value, 255])]])
  const cell = (atlas: NearAtlas, page: number, u: number, v: number) => [
    ...(atlas.tables[page].image.data as Uint8Array).subarray(4 * (v * 256 + u), 4 * (v * 256 + u) + 4),
  ]

  test('each tile in a slot of its own, finer ones over coarser ones', () => {
    const atlas = made()
    copies.length = 0
    atlas.put(tile(1), shade(10))
    atlas.put(tile(1, 2048, 1), shade(20))
    atlas.put({ page: 0, x: 16, y: 16, density: 16384 }, shade(30))
    expect(copies).toEqual([
      { x: 0, y: 0, first: 10 },
      { x: side, y: 0, first: 20 },
      { x: 2 * side, y: 0, first: 30 },
    ])
    // A tile of 2048 is 32 cells wide, one of 16384 four.
    expect(cell(atlas, 0, 40, 40)).toEqual([0, 0, 3, 255])
    expect(cell(atlas, 1, 40, 40)).toEqual([1, 0, 3, 255])
    expect(cell(atlas, 0, 64, 64)).toEqual([2, 0, 6, 255])
    expect(cell(atlas, 0, 31, 40)).toEqual([0, 0, 0, 0])
    atlas.clear()
    expect(cell(atlas, 0, 40, 40)).toEqual([0, 0, 0, 0])
    expect(atlas.count).toBe(0)
  })
  test('what was seen longest ago gives way', () => {
    const atlas = made()
    const most = ACROSS * ACROSS
    for (let k = 0; k < most; k++) atlas.put({ page: 0, x: k, y: 0, density: 65536 }, shade(k))
    atlas.seen([{ page: 0, x: 0, y: 0, density: 65536 }])
    atlas.put({ page: 0, x: 200, y: 0, density: 65536 }, shade(99))
    expect(atlas.count).toBe(most)
    expect(atlas.has({ page: 0, x: 0, y: 0, density: 65536 })).toBe(true)
    expect(atlas.has({ page: 0, x: 1, y: 0, density: 65536 })).toBe(false)
    expect(cell(atlas, 0, 200, 0).slice(0, 2)).toEqual([1, 0])
    expect(cell(atlas, 0, 1, 0)[3]).toBe(0)
  })
})
