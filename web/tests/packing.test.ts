import { describe, expect, test } from 'vitest'
import type { ChannelFact } from '../src/api/scene'
import { Packing } from '../src/view3d/packing'
import { anchored } from '../src/view3d/shader'

const channel = (name: string, picture: string, component: number, more: Partial<ChannelFact> = {}): ChannelFact => ({
  name,
  title: name,
  about: '',
  unit: '',
  low: 0,
  high: 1,
  width: 1,
  colour: false,
  default: [0],
  voice: name,
  picture,
  component,
  full: 1,
  ...more,
})
const TABLE = [
  channel('base_color', 'base_color', 0, { width: 3, colour: true }),
  channel('opacity', 'base_color', 3),
  channel('roughness', 'orm', 1),
  channel('metalness', 'orm', 2),
  channel('coat_weight', 'clear_coat', 0),
  channel('coat_roughness', 'clear_coat', 1),
  channel('fuzz_color', 'fuzz', 0, { width: 3, colour: true }),
  channel('fuzz_roughness', 'fuzz', 3),
  channel('specular_color', 'specular', 0, { width: 3, colour: true }),
  channel('specular_weight', 'specular', 3),
  channel('thin_film_weight', 'film', 0),
  channel('thin_film_thickness', 'film', 1, { full: 2000 }),
  channel('transmission_weight', 'transmission', 0),
  channel('emission_color', 'emission', 0, { width: 3, colour: true }),
  channel('coat_ior', 'indices', 1, { full: 3 }),
]

describe('the table of packing', () => {
  const packing = new Packing(TABLE)
  test('says how a channel is read, in its own unit', () => {
    expect(packing.read('coat_ior')).toBe('( texture2D( indicesMap, vMapUv ).g * 3.0 )')
    expect(packing.read('base_color')).toBe('texture2D( base_colorMap, vMapUv ).rgb')
    expect(packing.read('opacity')).toBe('texture2D( base_colorMap, vMapUv ).a')
  })
  test('tells colours from data', () => {
    expect([...packing.colours].sort()).toEqual(['base_color', 'emission', 'fuzz', 'specular'])
  })
  test('that the view cannot follow is a fault', () => {
    const moved = TABLE.map((c) => (c.name === 'coat_weight' ? { ...c, component: 2 } : c))
    expect(() => new Packing(moved)).toThrow("'coat_weight' is packed into clear_coat 2")
    expect(() => packing.read('gloss')).toThrow("no channel 'gloss'")
  })
})

test('a patch of a shader finds its anchor or fails', () => {
  expect(anchored('a b c', 'b', 'x')).toBe('a x c')
  expect(() => anchored('a b c', 'd', 'x')).toThrow("no 'd' any more")
})
