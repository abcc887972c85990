import {
  Color,
  MeshPhysicalMaterial,
  ShaderChunk,
  Vector2,
  type Texture,
  type WebGLProgramParametersWithUniforms,
} from 'three'
import type { Maps } from '../api/scene'
import type { Packing } from './packing'
import { Plate } from './plate'
import { RELIEF } from './nearAtlas'
import type { ReliefPlate } from './relief'
import { anchored, MOVED, MOVED_PARS } from './shader'

/** Pictures beyond the usual three, the one that is missed most first, and how many textures each takes. */
const MORE: [string, number][] = [
  ['clear_coat', 2],
  ['emission', 1],
  ['fuzz', 2],
  ['subsurface', 1],
  ['transmission', 2],
  ['specular', 2],
  ['film', 2],
  ['tint', 1],
  ['indices', 1],
  ['sparkle', 1],
  ['scatter', 1],
  ['through', 1],
]
/** Colour, occlusion, roughness, metalness, normal, and what the room, the shadow and the paint under a brush take. */
const USUAL = 8
const USUALS = ['base_color', 'orm', 'normal']

interface Part {
  pars: string
  color?: string
  instead?: [string, string][]
  after?: string
}
/** What three's physical material has no place for, by picture: declared, and where it goes into the shader. */
function added({ read }: { read: (channel: string) => string }): Record<string, Part> {
  return {
    tint: {
      pars: 'uniform sampler2D tintMap;',
      // Light passes the coat on its way in and out.
      color: `#ifdef USE_CLEARCOATMAP
        diffuseColor.rgb *= mix( vec3( 1.0 ), ${read('coat_color')}, texture2D( clearcoatMap, vClearcoatMapUv ).x );
      #endif`,
    },
    indices: {
      pars: 'uniform sampler2D indicesMap;',
      instead: [
        ['material.ior = ior;', `material.ior = max( ${read('specular_ior')}, 1.0 );`],
        [
          'material.clearcoatF0 = vec3( 0.04 );',
          `float limusCoat = max( ${read('coat_ior')}, 1.0 );
          material.clearcoatF0 = vec3( pow2( ( limusCoat - 1.0 ) / ( limusCoat + 1.0 ) ) );`,
        ],
        [
          'material.iridescenceIOR = iridescenceIOR;',
          `material.iridescenceIOR = max( ${read('thin_film_ior')}, 1.0 );`,
        ],
      ],
    },
    subsurface: {
      pars: 'uniform sampler2D subsurfaceMap; uniform float limusReach;',
      color: `vec3 limusInside = ${read('subsurface_color')}; float limusShare = ${read('subsurface_weight')};
        diffuseColor.rgb = mix( diffuseColor.rgb, limusInside, limusShare );`,
      // Light that went in elsewhere comes out where the surface turns away from it.
      after: `#if NUM_DIR_LIGHTS > 0
      {
        float round_ = dot( normal, directionalLights[ 0 ].direction );
        float soft = clamp( ( round_ + limusReach ) / ( 1.0 + limusReach ), 0.0, 1.0 ) - clamp( round_, 0.0, 1.0 );
        vec3 spread = vec3( 1.0 );
        #ifdef LIMUS_SCATTER
          spread = ${read('subsurface_scale')};
        #endif
        reflectedLight.directDiffuse += soft * limusShare * spread * limusInside * directionalLights[ 0 ].color * 0.318;
      }
      #endif`,
    },
    scatter: { pars: 'uniform sampler2D scatterMap;' },
    through: {
      pars: 'uniform sampler2D throughMap;',
      color: `#ifdef USE_TRANSMISSIONMAP
        float limusThrough = texture2D( transmissionMap, vTransmissionMapUv ).r;
        diffuseColor.rgb *= mix( vec3( 1.0 ), ${read('transmission_color')}, limusThrough );
      #endif`,
    },
    sparkle: {
      pars: `uniform sampler2D sparkleMap; uniform float limusGrain;
      float limusHash( vec3 p ) {
        p = fract( p * vec3( 0.1031, 0.1030, 0.0973 ) );
        p += dot( p, p.yxz + 33.33 );
        return fract( ( p.x + p.y ) * p.z );
      }`,
      // Small mirrors, each turned its own way: one flashes when it lies just between light and eye.
      after: `#if NUM_DIR_LIGHTS > 0
      {
        vec3 cell = floor( vLimusPlace / limusGrain );
        vec3 way = vec3( limusHash( cell ), limusHash( cell + 17.0 ), limusHash( cell + 41.0 ) ) * 2.0 - 1.0;
        way = normalize( way + normal * 1.6 );
        vec3 half_ = normalize( directionalLights[ 0 ].direction + normalize( vViewPosition ) );
        float flash = pow( max( dot( way, half_ ), 0.0 ), 900.0 );
        flash *= step( limusHash( cell + 71.0 ), ${read('glint_density')} );
        float towards = max( dot( normal, directionalLights[ 0 ].direction ), 0.0 );
        reflectedLight.directSpecular += flash * 9.0 * towards * directionalLights[ 0 ].color;
      }
      #endif`,
    },
  }
}

/**
 * What lies on a surface and shines follows its relief, ripples of water too; three takes the shape of the mesh for it.
 * And where the normals within a pixel scatter, gloss is as much less, or wet relief sparkles like noise: Y. Tokuyoshi
 * and A. S. Kaplanyan, "Improved Geometric Specular Antialiasing", 2019 (from memory: a quarter of the squared
 * differences, twice, at most 0.18; a coat's normals are smoothed already).
 */
const COATED = `{
    // A film evens out what is finest, and no mirror of it is turned away from the eye.
    clearcoatNormal = normalize( tbn * ( texture2D( normalMap, vNormalMapUv, 1.2 ).xyz * 2.0 - 1.0 ) );
    vec3 eye = normalize( vViewPosition );
    clearcoatNormal = normalize( clearcoatNormal + eye * max( 0.0, 0.12 - dot( clearcoatNormal, eye ) ) );
  }`
const CALMED: [string, string][] = [
  [
    'material.roughness = min( material.roughness, 1.0 );',
    `vec3 limusU = dFdx( normal ), limusV = dFdy( normal );
      float limusScatter = min( 0.5 * ( dot( limusU, limusU ) + dot( limusV, limusV ) ), 0.18 );
      material.roughness = min( sqrt( sqrt( pow4( material.roughness ) + limusScatter ) ), 1.0 );`,
  ],
  [
    'material.clearcoatRoughness = min( material.clearcoatRoughness, 1.0 );',
    `vec3 limusCoatU = dFdx( clearcoatNormal ), limusCoatV = dFdy( clearcoatNormal );
      float limusCoatScatter = min( 0.25 * ( dot( limusCoatU, limusCoatU ) + dot( limusCoatV, limusCoatV ) ), 0.05 );
      float limusCoatRough = sqrt( sqrt( pow4( material.clearcoatRoughness ) + limusCoatScatter ) );
      material.clearcoatRoughness = min( limusCoatRough, 1.0 );`,
  ],
]

/** The lit surface of one map set: every channel of the material that is in use. */
export class SurfaceMaterial extends MeshPhysicalMaterial {
  private readonly plates = new Map<string, Plate>()
  private shown = ''
  private relief?: ReliefPlate
  private readonly reach = { value: 0.2 }
  /** Size of a glint in metres. */
  private readonly grain = { value: 0.0008 }

  private readonly added: Record<string, Part>

  /** `units`: textures that the graphics card takes. */
  constructor(
    private readonly units: number,
    private readonly packing: Packing,
  ) {
    super({ roughness: 1, metalness: 1 })
    this.added = added({ read: (channel) => packing.read(channel) })
    this.map = this.plate('base_color').texture
    this.roughnessMap = this.metalnessMap = this.aoMap = this.plate('orm').texture
    this.normalMap = this.plate('normal').texture
    this.onBeforeCompile = (shader) => this.extend(shader)
    this.customProgramCacheKey = () => `${this.shown}${this.relief ? ' moved' : ''}`
  }

  /** The picture of the surface's colour, for others that draw it. */
  get picture() {
    return this.plate('base_color').texture
  }

  private plate(name: string): Plate {
    let found = this.plates.get(name)
    if (!found) this.plates.set(name, (found = new Plate(this.packing.colours.has(name))))
    return found
  }

  /** Put pictures on, by name; what the graphics card has no room for is returned. */
  put(pictures: Map<string, [hash: string, bytes: Uint8Array]>, maps: Maps): string[] {
    for (const [name, [hash, bytes]] of pictures) this.plate(name).put(hash, bytes)
    const of = (name: string) => this.plate(name).texture
    this.map = of('base_color')
    this.roughnessMap = this.metalnessMap = this.aoMap = of('orm')
    this.normalMap = of('normal')
    const left: string[] = []
    const here = new Set<string>()
    let room = this.units - USUAL
    for (const [name, takes] of MORE) {
      if (!pictures.has(name)) continue
      if (takes > room) left.push(name)
      else {
        here.add(name)
        room -= takes
      }
    }
    const on = (name: string) => (here.has(name) ? of(name) : null)
    this.clearcoat = here.has('clear_coat') ? 1 : 0
    this.clearcoatRoughness = 1
    this.clearcoatMap = this.clearcoatRoughnessMap = on('clear_coat')
    this.sheen = here.has('fuzz') ? 1 : 0
    this.sheenColor = new Color(1, 1, 1)
    this.sheenRoughness = 1
    this.sheenColorMap = this.sheenRoughnessMap = on('fuzz')
    this.specularIntensity = 1
    this.specularColorMap = this.specularIntensityMap = on('specular')
    this.iridescence = here.has('film') ? 1 : 0
    this.iridescenceMap = this.iridescenceThicknessMap = on('film')
    this.iridescenceThicknessRange = [0, this.packing.full('thin_film_thickness')]
    this.iridescenceIOR = maps.numbers?.thin_film_ior ?? 1.4
    this.transmission = here.has('transmission') ? 1 : 0
    this.transmissionMap = on('transmission')
    this.attenuationDistance = maps.numbers?.transmission_depth ? maps.numbers.transmission_depth / 1000 : Infinity
    this.emissive = new Color(here.has('emission') ? 0xffffff : 0x000000)
    this.emissiveMap = on('emission')
    this.ior = Math.min(2.333, maps.numbers?.specular_ior ?? 1.5)
    this.transparent = maps.numbers?.opacity !== undefined
    this.reach.value = Math.min(0.9, 0.15 + (maps.numbers?.subsurface_radius ?? 1) / 60)
    this.normalScale = new Vector2(1, 1)
    const shown = [...here].join()
    if (shown !== this.shown) {
      this.shown = shown
      this.needsUpdate = true
    }
    return left
  }

  /** Pictures that finer tiles can be shown of: each takes one texture more, and the tables of them all one. */
  nearPictures(): string[] {
    const here = this.shown.split(',').filter(Boolean)
    let room = this.units - USUAL - 1 - MORE.reduce((sum, [name, takes]) => sum + (here.includes(name) ? takes : 0), 0)
    // What is read for each vertex has room of its own.
    const out: string[] = this.relief ? [RELIEF] : []
    for (const name of [...USUALS, ...MORE.map(([more]) => more)]) {
      if (!(this.plates.has(name) && (USUALS.includes(name) || here.includes(name)))) continue
      if (room-- <= 0) break
      out.push(name)
    }
    return out
  }

  /** Move vertices by the relief, or not any more; meshes must then have the attribute `limusAway`. */
  move(plate?: ReliefPlate) {
    if (this.relief === plate) return
    this.relief = plate
    this.needsUpdate = true
  }

  private extend(shader: WebGLProgramParametersWithUniforms) {
    // Every value is given whatever is shown just now: going back to a program that was compiled before does not come
    // here again, and goes on with the values of whichever was compiled last. They are asked for at each draw: textures
    // are others when the size of maps changes.
    const give = (name: string, texture: () => Texture | undefined) =>
      Object.defineProperty(shader.uniforms, name, {
        enumerable: true,
        value: {
          get value() {
            return texture() ?? null
          },
        },
      })
    for (const name of Object.keys(this.added)) give(`${name}Map`, () => this.plates.get(name)?.texture)
    give('limusRelief', () => this.relief?.texture)
    shader.uniforms.limusReach = this.reach
    shader.uniforms.limusGrain = this.grain
    if (this.relief)
      shader.vertexShader = anchored(`${MOVED_PARS}\n${shader.vertexShader}`, '#include <begin_vertex>', MOVED)
    const added = Object.entries(this.added).filter(([name]) => this.shown.split(',').includes(name))
    const insert = (after: string, what: 'color' | 'after') => {
      const text = added.map(([, part]) => part[what] ?? '').join('\n')
      const anchor = `#include <${after}>`
      shader.fragmentShader = anchored(shader.fragmentShader, anchor, `${anchor}\n${text}`)
    }
    let physical: string = ShaderChunk.lights_physical_fragment
    for (const [from, to] of [...CALMED, ...added.flatMap(([, part]) => part.instead ?? [])])
      physical = anchored(physical, from, to)
    if (this.clearcoat)
      shader.fragmentShader = anchored(shader.fragmentShader, '#include <clearcoat_normal_fragment_maps>', COATED)
    shader.fragmentShader = anchored(shader.fragmentShader, '#include <lights_physical_fragment>', physical)
    const names = added.map(([name]) => `#define LIMUS_${name.toUpperCase()}`).join('\n')
    const pars = added.map(([, part]) => part.pars).join('\n')
    shader.fragmentShader = `${names}\nvarying vec3 vLimusPlace;\n${pars}\n${shader.fragmentShader}`
    const begin = '#include <begin_vertex>'
    shader.vertexShader = anchored(
      `varying vec3 vLimusPlace;\n${shader.vertexShader}`,
      begin,
      `${begin}\nvLimusPlace = position;`,
    )
    insert('map_fragment', 'color')
    insert('lights_fragment_end', 'after')
  }

  override dispose() {
    super.dispose()
    for (const plate of this.plates.values()) plate.texture.dispose()
  }
}
