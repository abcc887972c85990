/**
 * A text of a shader with something put in place of an anchor; an anchor that is gone is a fault, not a surface that
 * lacks something.
 */
export function anchored(text: string, anchor: string, by: string): string {
  if (!text.includes(anchor)) throw new Error(`The shader of three has no '${anchor}' any more`)
  return text.replace(anchor, by)
}

/** How a vertex reads the relief that it is moved by, mm. */
export const RELIEF_READ = 'texture2D( limusRelief, vec2( uv ) ).r'
/**
 * Shader text that moves a vertex by the relief, in metres along the way out of the surface; at a seam by what both
 * sides agreed on.
 */
export const MOVED = `
#include <begin_vertex>
transformed += limusAway * mix( ${RELIEF_READ}, limusHeld.x, limusHeld.y ) * 0.001;`
export const MOVED_PARS = 'attribute vec3 limusAway; attribute vec2 limusHeld; uniform sampler2D limusRelief;'
