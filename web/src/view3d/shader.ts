/**
 * A text of a shader with something put in place of an anchor; an anchor that is gone is a fault, not a surface that
 * lacks something.
 */
export function anchored(text: string, anchor: string, by: string): string {
  if (!text.includes(anchor)) throw new Error(`The shader of three has no '${anchor}' any more`)
  return text.replace(anchor, by)
}
