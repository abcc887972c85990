import { during } from '../rest'

/** Pictures by the hash of their content: they come with answers, and are fetched by name where they do not. */
const kept = new Map<string, Promise<Uint8Array>>()
const weights = new Map<string, number>()
const MOST_KEPT = 256 * 1024 * 1024
/** Small pictures, each with the address that the browser shows it by. */
const addresses = new Map<string, string>()
const MOST_ADDRESSES = 1500
/** What the newest answer names: the server keeps none of it, so it never goes, however large it is. */
let current = new Set<string>()
/** Names that are said to the server to be here already: the newest. */
const MOST_SAID = 500

function keep(hash: string, bytes: Promise<Uint8Array>, weight = 0) {
  kept.delete(hash)
  kept.set(hash, bytes)
  if (weight) weights.set(hash, weight)
  let sum = 0
  for (const one of kept.keys()) sum += weights.get(one) ?? 0
  for (const old of kept.keys()) {
    if (sum <= MOST_KEPT) break
    if (old === hash || current.has(old)) continue
    sum -= weights.get(old) ?? 0
    kept.delete(old)
    weights.delete(old)
  }
}
function keepAddress(hash: string, bytes: Uint8Array<ArrayBuffer>, media: string) {
  if (addresses.has(hash)) return
  addresses.set(hash, URL.createObjectURL(new Blob([bytes], { type: media })))
  for (const [old, url] of addresses) {
    if (addresses.size <= MOST_ADDRESSES) break
    addresses.delete(old)
    URL.revokeObjectURL(url)
  }
}

/** Bytes of a finished map. The newest stay here, up to a limit. */
export function mapBytes(hash: string): Promise<Uint8Array> {
  let found = kept.get(hash)
  if (!found) {
    const asked = fetch(`/api/maps/${hash}`, { credentials: 'same-origin' }).then(async (answer) => {
      if (!answer.ok) throw new Error('A picture is no longer kept on the server')
      const bytes = new Uint8Array(await answer.arrayBuffer())
      weights.set(hash, bytes.length)
      return bytes
    })
    found = during('a map', asked)
    found.catch(() => kept.delete(hash))
  }
  keep(hash, found)
  return found
}
/** The address of a small picture. */
export const pictureUrl = (hash: string) => addresses.get(hash) ?? `/api/maps/${hash}`
/** Names of pictures that need not be sent again. */
export const held = () => [...[...kept.keys()].slice(-MOST_SAID / 2), ...[...addresses.keys()].slice(-MOST_SAID / 2)]

const MAGIC = 'limus answer 1\n'
/** What an answer says; the pictures that came with it are kept by their names. See `looks/packed.py` of the core. */
export function unpack<T>(data: ArrayBuffer, aside = false): T {
  const text = new TextDecoder()
  if (text.decode(new Uint8Array(data, 0, Math.min(MAGIC.length, data.byteLength))) !== MAGIC)
    return JSON.parse(text.decode(data)) as T
  const size = new DataView(data).getUint32(MAGIC.length, true)
  let at = MAGIC.length + 4
  const { answer, pictures } = JSON.parse(text.decode(new Uint8Array(data, at, size))) as {
    answer: T
    pictures: { name: string; media: string; size: number }[]
  }
  at += size
  // What is shown beside the view does not take its pictures' place.
  if (!aside) current = new Set(JSON.stringify(answer).match(/[0-9a-f]{32}/g))
  for (const { name, media, size } of pictures) {
    at += (8 - (at % 8)) % 8
    // A copy of its own: what is kept must not hold the whole answer.
    const bytes = new Uint8Array(data.slice(at, at + size))
    at += size
    if (media === 'image/png') keepAddress(name, bytes, media)
    else keep(name, Promise.resolve(bytes), size)
  }
  return answer
}
