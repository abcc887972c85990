import { FloatType } from 'three'

/** A panorama of one's own, kept small: (height, width, 4) linear, rows from the bottom up, as three takes them. */
export interface Panorama {
  id: string
  title: string
  width: number
  height: number
  data: Float32Array<ArrayBuffer>
}
const WIDEST = 512
/** Brighter than that the sun of a picture makes sparkles of noise; as a half float holds it. */
const BRIGHTEST = 60000

/** Light all round from a file (Radiance HDR or OpenEXR). Refuses with what to do; odd numbers are mended and said. */
export async function readPanorama(file: File): Promise<{ found: Panorama; note: string }> {
  const bytes = await file.arrayBuffer()
  let image: { width: number; height: number; data: Float32Array }
  try {
    // Large, and rarely wanted.
    const loader = /\.exr$/i.test(file.name)
      ? new (await import('three/addons/loaders/EXRLoader.js')).EXRLoader()
      : new (await import('three/addons/loaders/HDRLoader.js')).HDRLoader()
    image = loader.setDataType(FloatType).parse(bytes) as unknown as typeof image
  } catch {
    throw new Error(`${file.name} is no panorama that can be read. Bring a Radiance .hdr or an OpenEXR .exr file.`)
  }
  const { width, height, data } = image
  if (!(width > 1 && height > 1) || Math.abs(width / height - 2) > 0.1)
    throw new Error(`${file.name} has ${width} by ${height} pixels; light all round is twice as wide as high.`)
  const channels = Math.round(data.length / (width * height))
  const times = Math.max(1, Math.ceil(width / WIDEST))
  const [w, h] = [Math.floor(width / times), Math.floor(height / times)]
  const out = new Float32Array(w * h * 4)
  let odd = 0
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const at = (y * w + x) * 4
      for (let c = 0; c < 3; c++) {
        let sum = 0
        for (let b = 0; b < times; b++)
          for (let a = 0; a < times; a++) {
            const value = data[((y * times + b) * width + x * times + a) * channels + Math.min(c, channels - 1)]
            if (!Number.isFinite(value) || value < 0) odd++
            else sum += Math.min(value, BRIGHTEST)
          }
        out[at + c] = sum / (times * times)
      }
      out[at + 3] = 1
    }
  if (!out.some((v, k) => k % 4 < 3 && v > 0)) throw new Error(`${file.name} is black all round.`)
  const note = odd ? `${odd} numbers of ${file.name} are no light (not finite or below 0) and count as black.` : ''
  const title = file.name.replace(/\.[^.]+$/, '').slice(0, 60)
  return { found: { id: `own-${crypto.randomUUID().slice(0, 8)}`, title, width: w, height: h, data: out }, note }
}

/** As bright on average as the surroundings of our own set-ups are. */
export function levelOf({ width, height, data }: Panorama): number {
  let [sum, weight] = [0, 0]
  for (let y = 0; y < height; y++) {
    const share = Math.cos(((y + 0.5) / height - 0.5) * Math.PI)
    for (let x = 0; x < width; x++) {
      const at = (y * width + x) * 4
      sum += share * (0.2126 * data[at] + 0.7152 * data[at + 1] + 0.0722 * data[at + 2])
      weight += share
    }
  }
  return sum / weight
}

/** Panoramas stay in the browser: they are files of the one who looks, not of the project. */
const open = () =>
  new Promise<IDBDatabase>((done, fail) => {
    const asked = indexedDB.open('limus', 1)
    asked.onupgradeneeded = () => asked.result.createObjectStore('panoramas', { keyPath: 'id' })
    asked.onsuccess = () => done(asked.result)
    asked.onerror = () => fail(new Error('The browser keeps no files for this page.'))
  })
async function within<T>(mode: IDBTransactionMode, ask: (store: IDBObjectStore) => IDBRequest<T>): Promise<T> {
  const base = await open()
  try {
    return await new Promise<T>((done, fail) => {
      const asked = ask(base.transaction('panoramas', mode).objectStore('panoramas'))
      asked.onsuccess = () => done(asked.result)
      asked.onerror = () => fail(new Error('The panorama could not be kept in this browser.'))
    })
  } finally {
    base.close()
  }
}
export const keptPanoramas = () => within<Panorama[]>('readonly', (store) => store.getAll())
export const keepPanorama = (one: Panorama) => within('readwrite', (store) => store.put(one))
export const dropPanorama = (id: string) => within('readwrite', (store) => store.delete(id))
