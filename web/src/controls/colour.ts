/** sRGB (IEC 61966-2-1), for pickers; inside the program colour is linear. */
const encode = (x: number) => (x <= 0.0031308 ? 12.92 * x : 1.055 * x ** (1 / 2.4) - 0.055)
const decode = (x: number) => (x <= 0.04045 ? x / 12.92 : ((x + 0.055) / 1.055) ** 2.4)

export function toHex(linear: readonly number[]): string {
  return linear
    .map((x) =>
      Math.round(Math.min(1, Math.max(0, encode(x))) * 255)
        .toString(16)
        .padStart(2, '0'),
    )
    .join('')
}

/** Three linear components from "rrggbb" or "rgb", or nothing. */
export function fromHex(text: string): [number, number, number] | undefined {
  let digits = text.trim().replace(/^#/, '')
  if (/^[0-9a-f]{3}$/i.test(digits)) digits = [...digits].map((d) => d + d).join('')
  if (!/^[0-9a-f]{6}$/i.test(digits)) return
  const values = [0, 2, 4].map((k) => Number(decode(parseInt(digits.slice(k, k + 2), 16) / 255).toFixed(5)))
  return values as [number, number, number]
}
