import { MeshDepthMaterial, ShaderChunk, type Material, type WebGLProgramParametersWithUniforms } from 'three'
import { ACROSS, BORDER, RELIEF, TILE, type NearAtlas } from './nearAtlas'
import { anchored, RELIEF_READ } from './shader'

/** The pictures that three's names of textures read. */
const SAMPLERS: Record<string, string> = {
  map: 'base_color',
  roughnessMap: 'orm',
  metalnessMap: 'orm',
  aoMap: 'orm',
  normalMap: 'normal',
  clearcoatMap: 'clear_coat',
  clearcoatRoughnessMap: 'clear_coat',
  sheenColorMap: 'fuzz',
  sheenRoughnessMap: 'fuzz',
}
const SIDE = TILE + 2 * BORDER
const TAP = `
  uniform sampler2D limusTable;
  vec4 limusTap( vec4 far, sampler2D near, vec2 uv ) {
    vec2 at = fract( uv );
    vec4 cell = texture( limusTable, at );
    if ( cell.a < 0.5 ) return far;
    vec2 inside = fract( at * exp2( floor( cell.b * 255.0 + 0.5 ) ) );
    vec2 slot = floor( cell.rg * 255.0 + 0.5 );
    return textureLod( near, ( slot * ${SIDE}.0 + ${BORDER}.0 + inside * ${TILE}.0 ) / ${ACROSS * SIDE}.0, 0.0 );
  }`

const resolved = (text: string): string =>
  text.replace(/^[ \t]*#include +<([\w\d./]+)>/gm, (_, name: string) => {
    const chunk = (ShaderChunk as Record<string, string>)[name]
    if (chunk === undefined) throw new Error(`three has no '${name}' any more`)
    return resolved(chunk)
  })

/**
 * A shader whose pictures are read from the atlas where the table of the map set says so. Every texture that a picture
 * of the atlas stands for must be read somewhere, or three reads it otherwise than it did.
 */
export function withTaps(fragment: string, names: string[], samplers = SAMPLERS): string {
  const missed = new Set(names.filter((name) => ['base_color', 'orm', 'normal', 'look'].includes(name)))
  const out = resolved(fragment).replace(
    /texture2D\(\s*(\w+)\s*,\s*(v\w*Uv)\s*(,\s*[\d.]+\s*)?\)/g,
    (whole: string, sampler: string, uv: string) => {
      const picture = samplers[sampler] ?? sampler.replace(/Map$/, '')
      if (!names.includes(picture)) return whole
      missed.delete(picture)
      return `limusTap( ${whole}, limusNear_${picture}, ${uv} )`
    },
  )
  if (missed.size) throw new Error(`The shader of three does not read ${[...missed].join()} as it did`)
  const near = names.map((name) => `uniform sampler2D limusNear_${name};`).join('\n')
  return out.replace('void main() {', `${near}\n${TAP}\nvoid main() {`)
}

/** A vertex shader that moves by the relief (`MOVED`), and reads that from the atlas where it is there. */
export function withNearRelief(vertex: string): string {
  const near = `limusTap( vec4( ${RELIEF_READ} ), limusNear_${RELIEF}, vec2( uv ) ).r`
  return `uniform sampler2D limusNear_${RELIEF};${TAP}\n${anchored(vertex, RELIEF_READ, near)}`
}

/** Have a material read an atlas, as whatever else was put into its shader before does not know of it. */
export function readNear(
  material: Material,
  atlas: () => NearAtlas | undefined,
  page: number,
  samplers?: Record<string, string>,
) {
  const { onBeforeCompile, customProgramCacheKey } = material
  material.onBeforeCompile = (shader: WebGLProgramParametersWithUniforms, renderer) => {
    onBeforeCompile.call(material, shader, renderer)
    const found = atlas()
    if (!found) return
    // Asked for at each draw: textures are others when the object is.
    const give = (name: string, texture: () => unknown) =>
      Object.defineProperty(shader.uniforms, name, {
        enumerable: true,
        value: {
          get value() {
            return texture() ?? null
          },
        },
      })
    give('limusTable', () => atlas()?.tables[page])
    for (const name of found.names) give(`limusNear_${name}`, () => atlas()?.textures.get(name))
    const drawn = found.names.filter((name) => name !== RELIEF)
    // The shadow of a surface asks for its relief alone.
    if (!(material instanceof MeshDepthMaterial))
      shader.fragmentShader = withTaps(shader.fragmentShader, drawn, samplers)
    if (found.names.includes(RELIEF) && shader.vertexShader.includes(RELIEF_READ))
      shader.vertexShader = withNearRelief(shader.vertexShader)
  }
  material.customProgramCacheKey = () =>
    `${atlas() ? `near ${atlas()!.names.join()} ` : ''}${customProgramCacheKey.call(material)}`
}
