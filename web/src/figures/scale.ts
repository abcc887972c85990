import type { FieldSchema } from '../api/scene'

/** How a number runs along its slider: as many places as its step asks for, else a thousand; even, or by factors. */
export interface Scale {
  places: number
  /** Where a value stands, within the slider. */
  place: (value: number) => number
  /** The value at a place, with as many digits as a hand can mean. */
  value: (place: number) => number
}

export function scaleOf(field: FieldSchema): Scale {
  const [a, b] = field.soft ?? [field.minimum ?? 0, field.maximum ?? 1]
  const log = field.scale === 'log'
  const places = field.step && !log ? Math.max(1, Math.round((b - a) / field.step)) : 1000
  return {
    places,
    place: (value) => {
      const t = log ? Math.log(Math.max(value, 1e-9) / a) / Math.log(b / a) : (value - a) / (b - a)
      return Math.min(1, Math.max(0, t)) * places
    },
    value: (place) => {
      const t = place / places
      const value = log ? a * (b / a) ** t : a + (b - a) * t
      if (field.step) return Number((Math.round(value / field.step) * field.step).toPrecision(6))
      // Three significant digits are what a hand can mean.
      return field.type === 'integer' ? Math.round(value) : Number(value.toPrecision(3))
    },
  }
}
