import { Box3, BufferAttribute, BufferGeometry, LineBasicMaterial, LineSegments, Vector3 } from 'three'

/** Directions drawn on the ground: compass degrees of north in the view, and where the wind comes from. */
export interface CompassMarks {
  north: number
  wind: number
  speed: number
}

/** North and wind as lines on the ground around the object. */
export function compassLines(marks: CompassMarks, bounds: Box3): LineSegments {
  const reach = bounds.getSize(new Vector3()).length()
  const size = bounds.getSize(new Vector3())
  const centre = bounds.getCenter(new Vector3())
  const r = Math.hypot(size.x, size.z) * 0.62 + reach * 0.05
  const at = (degrees: number, radius: number) => {
    const a = (degrees * Math.PI) / 180
    return [centre.x + Math.sin(a) * radius, bounds.min.y + reach * 0.002, centre.z - Math.cos(a) * radius]
  }
  const points: number[] = []
  const line = (...pairs: [number, number][]) => {
    for (let k = 0; k + 1 < pairs.length; k++) points.push(...at(...pairs[k]), ...at(...pairs[k + 1]))
  }
  for (let k = 0; k < 72; k++) line([k * 5, r], [k * 5 + 5, r])
  for (let k = 0; k < 4; k++) line([marks.north + k * 90, r], [marks.north + k * 90, r * (k ? 1.04 : 1.09)])
  // The letter N beyond its mark.
  const n = marks.north
  line([n - 3, r * 1.12], [n - 3, r * 1.24], [n + 3, r * 1.12], [n + 3, r * 1.24])
  if (marks.speed > 0) {
    const w = marks.north + marks.wind
    const long = 0.16 + Math.min(0.3, marks.speed * 0.02)
    line([w, r * (1.06 + long)], [w, r * 1.06])
    line([w - 3.2, r * 1.13], [w, r * 1.06], [w + 3.2, r * 1.13])
  }
  const geometry = new BufferGeometry()
  geometry.setAttribute('position', new BufferAttribute(new Float32Array(points), 3))
  return new LineSegments(geometry, new LineBasicMaterial({ color: 0xfbfbfa, toneMapped: false }))
}
