import { mapBytes } from '../api/pictures'
import type { LookOut } from '../api/scene'

const table = new Float32Array(65536)
let filled = false

/** Half floats to numbers, by a table made once. */
function fromHalf(bits: number): number {
  if (!filled) {
    for (let h = 0; h < 65536; h++) {
      const exponent = (h >> 10) & 31
      const fraction = h & 1023
      const size =
        exponent === 31
          ? fraction
            ? NaN
            : Infinity
          : exponent
            ? 2 ** (exponent - 15) * (1 + fraction / 1024)
            : 2 ** -14 * (fraction / 1024)
      table[h] = h & 0x8000 ? -size : size
    }
    filled = true
  }
  return table[bits]
}

/** A number as its look writes it: with so many digits behind the point, else by its size. */
export function plain(x: number, decimals?: number | null): string {
  if (typeof decimals === 'number') return x.toFixed(decimals)
  const size = Math.abs(x)
  return size >= 100 ? x.toFixed(0) : size >= 10 ? x.toFixed(1) : size >= 1 ? x.toFixed(2) : x.toFixed(3)
}

/** The numbers of a look-through at a place of a map set, in words; "" where there are none. */
export async function valueAt(look: LookOut, page: number, u: number, v: number): Promise<string> {
  const hash = look.values?.[page]
  if (!hash) return ''
  let bytes: Uint8Array
  try {
    bytes = await mapBytes(hash)
  } catch {
    return ''
  }
  const half = new Uint16Array(bytes.buffer, bytes.byteOffset, bytes.byteLength / 2)
  const names = look.components ?? []
  const width = Math.max(1, names.length)
  const size = Math.round(Math.sqrt(half.length / width))
  const x = Math.min(size - 1, Math.max(0, Math.floor((u - Math.floor(u)) * size)))
  const y = Math.min(size - 1, Math.max(0, Math.floor((v - Math.floor(v)) * size)))
  const unit = look.unit ? (look.unit === '°' ? '°' : ` ${look.unit}`) : ''
  const out: string[] = []
  for (let k = 0; k < width; k++) {
    const value = fromHalf(half[(y * size + x) * width + k])
    if (Number.isNaN(value)) return ''
    const text = plain(value, look.decimals)
    out.push(names.length ? `${names[k]} ${text}${unit}` : `${text}${unit}`)
  }
  return out.join('  ')
}
