import type { ChannelFact } from '../api/scene'

/**
 * What three's physical material reads from where in the pictures that are given to it: channel, picture, first
 * component.
 */
const SLOTS: [string, string, number][] = [
  ['base_color', 'base_color', 0],
  ['opacity', 'base_color', 3],
  ['roughness', 'orm', 1],
  ['metalness', 'orm', 2],
  ['coat_weight', 'clear_coat', 0],
  ['coat_roughness', 'clear_coat', 1],
  ['fuzz_color', 'fuzz', 0],
  ['fuzz_roughness', 'fuzz', 3],
  ['specular_color', 'specular', 0],
  ['specular_weight', 'specular', 3],
  ['thin_film_weight', 'film', 0],
  ['thin_film_thickness', 'film', 1],
  ['transmission_weight', 'transmission', 0],
  ['emission_color', 'emission', 0],
]

/** Where the channels are found in the pictures of an answer: the table of the core, as the catalogue publishes it. */
export class Packing {
  private readonly table: Map<string, ChannelFact>

  constructor(channels: ChannelFact[]) {
    this.table = new Map(channels.map((c) => [c.name, c]))
    for (const [name, picture, component] of SLOTS) {
      const { picture: there, component: at } = this.of(name)
      if (there !== picture || at !== component)
        throw new Error(`'${name}' is packed into ${there} ${at}; the view reads it from ${picture} ${component}`)
    }
  }
  of(name: string): ChannelFact {
    const found = this.table.get(name)
    if (!found) throw new Error(`There is no channel '${name}'`)
    return found
  }
  /** GLSL that reads a channel, in its own unit. */
  read(name: string): string {
    const { picture, component, width, full } = this.of(name)
    const tap = `texture2D( ${picture}Map, vMapUv ).${'rgba'.slice(component, component + width)}`
    return full === 1 ? tap : `( ${tap} * ${full.toFixed(1)} )`
  }
  /** What a full white of a channel's picture stands for. */
  full = (name: string) => this.of(name).full
  /** Pictures that hold a colour; the rest hold data. */
  get colours(): Set<string> {
    return new Set([...this.table.values()].filter((c) => c.colour && c.picture).map((c) => c.picture))
  }
}
