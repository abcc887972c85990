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
