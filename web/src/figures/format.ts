import type { FieldSchema } from '../api/scene'

/** Shares are stored 0..1 and shown in percent. */
export const factor = (field: FieldSchema) => (field.unit === '%' ? 100 : 1)

/** A number as it is read: three significant digits, no trailing zeros. */
export function readable(value: number): string {
  const size = Math.abs(value)
  if (size >= 100) return String(Math.round(value))
  if (size >= 10) return String(Number(value.toFixed(1)))
  if (size >= 1) return String(Number(value.toFixed(2)))
  return String(Number(value.toFixed(3)))
}

export const withUnit = (value: number, field: FieldSchema) =>
  `${readable(value * factor(field))}${field.unit ? ` ${field.unit}` : ''}`

export const percent = (share: number) => {
  const p = share * 100
  return `${p === 0 ? '0' : p < 0.1 ? '< 0.1' : p < 10 ? p.toFixed(1) : Math.round(p)} %`
}

/** Width, height and depth in one unit. */
export function box(metres: number[]): string {
  const size = Math.max(...metres.map(Math.abs))
  const [factor, unit] = size >= 1000 ? [1e-3, 'km'] : size >= 1 ? [1, 'm'] : size >= 0.001 ? [1e3, 'mm'] : [1e6, 'µm']
  return `${metres.map((x) => Number((x * factor).toPrecision(3)).toLocaleString('en')).join(' × ')} ${unit}`
}

/** A length in metres, in the unit that suits it. */
export function length(metres: number): string {
  const size = Math.abs(metres)
  const short = (x: number) => Number(x.toPrecision(3)).toLocaleString('en')
  if (size >= 1000) return `${short(metres / 1000)} km`
  if (size >= 1) return `${short(metres)} m`
  if (size >= 0.001 || size === 0) return `${short(metres * 1000)} mm`
  return `${short(metres * 1e6)} µm`
}
