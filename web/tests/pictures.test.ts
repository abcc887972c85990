import { expect, test, vi } from 'vitest'
import { held, mapBytes, unpack } from '../src/api/pictures'

const name = (k: number) => k.toString(16).padStart(32, '0')
/** An answer that names these maps and brings them along, as the core packs it. */
function answer(names: string[], size: number): ArrayBuffer {
  const pictures = names.map((one) => ({ name: one, media: 'application/octet-stream', size }))
  const head = new TextEncoder().encode(JSON.stringify({ answer: { maps: names }, pictures }))
  const start = 15 + 4 + head.length
  const first = start + ((8 - (start % 8)) % 8)
  const out = new Uint8Array(first + names.length * size)
  out.set(new TextEncoder().encode('limus answer 1\n'))
  new DataView(out.buffer).setUint32(15, head.length, true)
  out.set(head, 19)
  names.forEach((_, k) => out.fill(k + 1, first + k * size, first + (k + 1) * size))
  return out.buffer
}

test('whatever the newest answer names is here, however large; what came before goes', async () => {
  const asked = vi.spyOn(globalThis, 'fetch').mockRejectedValue(new Error('nothing is kept there'))
  const large = 64 << 20
  unpack(answer([name(1), name(2)], large))
  const five = [3, 4, 5, 6, 7].map(name)
  expect(unpack(answer(five, large))).toEqual({ maps: five })
  const first = await Promise.all(five.map(async (one) => (await mapBytes(one))[0]))
  expect(first).toEqual([1, 2, 3, 4, 5])
  expect(asked).not.toHaveBeenCalled()
  expect(held()).not.toContain(name(1))
  expect(held()).toEqual(expect.arrayContaining(five))
})
