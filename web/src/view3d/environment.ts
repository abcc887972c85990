const soft = (x: number, low: number, high: number) => {
  const t = Math.min(1, Math.max(0, (x - low) / (high - low)))
  return t * t * (3 - 2 * t)
}
/** 1 inside a window of half sizes (a, b) about (azimuth, elevation), degrees, with a soft frame. */
const pane = (az: number, el: number, a0: number, e0: number, a: number, b: number) => {
  const d = Math.abs(((az - a0 + 540) % 360) - 180)
  return (1 - soft(d, a - 3, a + 3)) * (1 - soft(Math.abs(el - e0), b - 3, b + 3))
}

/**
 * Light of a workshop with a north window, made here: an overcast sky through one tall window, two small ones opposite
 * and a long roof light, a pale room, a grey floor. Linear values; 1 is a white wall. Wide soft sources show roughness,
 * the bright window shows gloss.
 */
export function workshopSky(az: number, el: number): [number, number, number] {
  let level = el > 0 ? 0.36 + 0.16 * soft(el, 0, 80) : 0.2 + 0.08 * soft(-el, 0, 60)
  let warm = el > 0 ? 0 : 0.05
  const window = pane(az, el, -55, 30, 34, 26)
  const bars = Math.abs(((az + 55 + 360) % 23) - 11.5) < 1.2 ? 0.35 : 1
  level += window * 3.0 * bars
  level += pane(az, el, 120, 62, 60, 12) * 1.8
  // Two small windows on the far side: what lies level and shines has something to mirror, and outlines stand off.
  const rungs = Math.abs(el - 21) < 1.1 ? 0.3 : 1
  level += (pane(az, el, 58, 21, 13, 17) + pane(az, el, 104, 21, 13, 17)) * 3.2 * rungs
  warm -= window * 0.04
  return [level * (1 + warm), level, level * (1 - warm)]
}
