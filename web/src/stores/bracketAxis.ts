import type { Values } from '../api/difference'
import type { FieldSchema } from '../api/scene'
import { withUnit } from '../figures/format'
import { scaleOf } from '../figures/scale'

/** One number that is tried on both sides of what it is now. */
export interface Axis {
  title: string
  field: FieldSchema
  /** Addresses of the document that are set by it: more than one where lines are linked. */
  addresses: string[]
  now: number
  /** Half of what is tried, as a share of its slider; seeds go on by ones. */
  spread: number
  /** What lies in the middle: what it is now, or what was picked last. */
  middle: number
}

export const COUNTS = [3, 5, 9] as const
export const WIDEST = 1
export const NARROWEST = 1 / 128

/**
 * Values evenly along the slider, as many below the middle as above; where one side has no room, the other is taken
 * further. Values that are the same once rounded are tried once.
 */
export function valuesOf(axis: Axis, count: number): number[] {
  const half = (count - 1) / 2
  if (axis.field.control === 'seed') {
    const first = Math.max(0, axis.middle - half)
    return Array.from({ length: count }, (_, k) => first + k)
  }
  const scale = scaleOf(axis.field)
  const step = (axis.spread * scale.places) / half
  const at = scale.place(axis.middle)
  const [under, over] = [Math.floor(at / step + 1e-6), Math.floor((scale.places - at) / step + 1e-6)]
  const below = Math.min(under, Math.max(half, count - 1 - over))
  const above = Math.min(over, count - 1 - below)
  // What lies in the middle is kept with all its digits.
  const out = Array.from({ length: below + 1 + above }, (_, k) =>
    k === below ? axis.middle : scale.value(at + (k - below) * step),
  )
  const { minimum = -Infinity, maximum = Infinity } = axis.field
  return [...new Set(out.map((v) => Math.min(maximum, Math.max(minimum, v))))]
}

/** What a value of it sets in the document. */
export const setting = (axis: Axis, value: number): Values => ({
  values: Object.fromEntries(axis.addresses.map((address) => [address, value])),
  drop: [],
})

export const worded = (axis: Axis, value: number) =>
  axis.field.control === 'seed' ? `pattern ${value}` : withUnit(value, axis.field)
