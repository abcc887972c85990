import {
  DataTexture,
  EquirectangularReflectionMapping,
  FloatType,
  LinearFilter,
  LinearSRGBColorSpace,
  RGBAFormat,
} from 'three'
import { workshopSky } from './environment'

type Colour = [number, number, number]
/** Linear radiance of the surroundings from azimuth and elevation, degrees; 1 is a white wall in the workshop. */
export type Sky = (azimuth: number, elevation: number) => Colour

/** A set-up of light: what stands all round, and one key light with real shadows. */
export interface Setup {
  id: string
  title: string
  about: string
  sky: Sky
  /** How strong the surroundings and the key light are, and the exposure they are seen with. */
  around: number
  key: number
  tint: Colour
  exposure: number
  /** Where the key light stands when the set-up is chosen, degrees. */
  azimuth: number
  elevation: number
  /** Surroundings of a picture of one's own, instead of the sky. */
  room?: () => DataTexture
}

const soft = (x: number, low: number, high: number) => {
  const t = Math.min(1, Math.max(0, (x - low) / (high - low)))
  return t * t * (3 - 2 * t)
}
const times = (c: Colour, k: number): Colour => [c[0] * k, c[1] * k, c[2] * k]
const mix = (a: Colour, b: Colour, t: number): Colour => [
  a[0] + (b[0] - a[0]) * t,
  a[1] + (b[1] - a[1]) * t,
  a[2] + (b[2] - a[2]) * t,
]
const GROUND: Colour = [0.2, 0.19, 0.17]
/** Three times as bright overhead as at the horizon: the overcast sky of CIE S 011 (Moon and Spencer, 1942). */
const overcast: Sky = (_az, el) => {
  const sine = Math.sin((Math.max(el, 0) * Math.PI) / 180)
  return el < 0 ? GROUND : times([0.97, 1, 1.04], (0.9 * (1 + 2 * sine)) / 3)
}
const clear =
  (top: Colour, rim: Colour): Sky =>
  (_az, el) =>
    el < 0 ? GROUND : mix(rim, top, soft(el, 0, 55))
const dusk: Sky = (az, el) => {
  if (el < 0) return times(GROUND, 0.25)
  const band = (1 - soft(el, 0, 16)) * (0.35 + 0.65 * Math.max(0, Math.cos(((az + 60) * Math.PI) / 180)))
  return mix([0.06, 0.09, 0.18], [0.95, 0.42, 0.18], band)
}
const dark: Sky = (_az, el) => (el > 0 ? [0.045, 0.045, 0.05] : [0.03, 0.03, 0.03])
/** Five tubes along a ceiling. */
const tubes: Sky = (az, el) => {
  const across = Math.cos((az * Math.PI) / 180) * (90 - el)
  const lamp = el > 25 && Math.abs(((across + 97.5) % 39) - 19.5) < 4.5 ? 7 : 0
  return times([1, 0.97, 0.9], (el > 0 ? 0.22 : 0.13) + lamp * soft(el, 25, 32))
}
const below: Sky = (_az, el) => (el < -8 ? [3.4, 3.4, 3.4] : [0.16, 0.16, 0.17])

/** All set-ups, in the order of their keys; the first is what the view begins with. */
export const SETUPS: Setup[] = [
  {
    id: 'north',
    title: 'North window',
    about: 'A workshop with one tall window: form and gloss',
    sky: workshopSky,
    around: 0.85,
    key: 2.7,
    tint: [1, 1, 1],
    exposure: 0.66,
    azimuth: -35,
    elevation: 48,
  },
  {
    id: 'overcast',
    title: 'Overcast',
    about: 'An even grey sky: colour and dirt without shadows',
    sky: overcast,
    around: 1.25,
    key: 0.25,
    tint: [1, 1, 1],
    exposure: 0.8,
    azimuth: -20,
    elevation: 70,
  },
  {
    id: 'noon',
    title: 'Clear noon',
    about: 'High sun and blue sky: hard shadows, strong contrast',
    sky: clear([0.22, 0.42, 0.95], [0.62, 0.72, 0.86]),
    around: 0.6,
    key: 4.4,
    tint: [1, 0.96, 0.88],
    exposure: 0.56,
    azimuth: 25,
    elevation: 62,
  },
  {
    id: 'low-sun',
    title: 'Low sun',
    about: 'Evening sun from the side: relief and edges',
    sky: clear([0.2, 0.3, 0.55], [0.75, 0.6, 0.45]),
    around: 0.7,
    key: 4.2,
    tint: [1, 0.66, 0.36],
    exposure: 0.72,
    azimuth: -52,
    elevation: 14,
  },
  {
    id: 'dusk',
    title: 'Dusk',
    about: 'A band of afterglow, blue from above: does it hold in the dark?',
    sky: dusk,
    around: 2.0,
    key: 0.5,
    tint: [0.5, 0.62, 1],
    exposure: 1.3,
    azimuth: 120,
    elevation: 40,
  },
  {
    id: 'tubes',
    title: 'Row of lamps',
    about: 'Long lamps along a ceiling: gloss shows in lines',
    sky: tubes,
    around: 0.95,
    key: 0.9,
    tint: [1, 0.96, 0.88],
    exposure: 0.66,
    azimuth: 10,
    elevation: 78,
  },
  {
    id: 'grazing',
    title: 'Grazing lamp',
    about: 'One lamp close to the surface in a dark room: every dent',
    sky: dark,
    around: 2.2,
    key: 7.5,
    tint: [1, 0.9, 0.76],
    exposure: 0.9,
    azimuth: -74,
    elevation: 8,
  },
  {
    id: 'table',
    title: 'From below',
    about: 'A lit table under it: thin things, undersides, outlines',
    sky: below,
    around: 0.55,
    key: 0.3,
    tint: [1, 1, 1],
    exposure: 0.66,
    azimuth: 0,
    elevation: 80,
  },
]

/** A picture all round, as three takes it: rows from the bottom up, four numbers each. */
export function equirectangular(data: Float32Array<ArrayBuffer>, width: number, height: number): DataTexture {
  const texture = new DataTexture(data, width, height, RGBAFormat, FloatType)
  texture.mapping = EquirectangularReflectionMapping
  texture.colorSpace = LinearSRGBColorSpace
  texture.minFilter = texture.magFilter = LinearFilter
  texture.needsUpdate = true
  return texture
}
/** The surroundings of a set-up as a picture all round; linear. */
export function panorama(sky: Sky, width = 256, height = 128): DataTexture {
  // three reads equirectangular pictures from the bottom row up.
  const data = new Float32Array(width * height * 4)
  for (let y = 0; y < height; y++) {
    const elevation = ((y + 0.5) / height) * 180 - 90
    for (let x = 0; x < width; x++)
      data.set([...sky(((x + 0.5) / width) * 360 - 180, elevation), 1], (y * width + x) * 4)
  }
  return equirectangular(data, width, height)
}
