import { Vector3 } from 'three'
import { describe, expect, test } from 'vitest'
import { Painter, penOf, type BrushNow } from '../src/view3d/painter'
import type { PreviewDab } from '../src/view3d/paintPreview'
import { penRecord } from '../src/view3d/replay'
import type { SurfaceScene } from '../src/view3d/surfaceScene'

const brush = (more: Partial<BrushNow> = {}): BrushNow => ({
  radius: () => 0.1,
  hardness: 0.5,
  flow: 1,
  spacing: 0.25,
  pressureSize: 0,
  pressureFlow: 0,
  mirror: 'none',
  facing: 'surface',
  adds: true,
  ...more,
})
const firm = { pressure: 1, tilt: 0, turn: 0 }
const spot = (x: number, y = 0) => ({
  point: new Vector3(x, y, 0),
  normal: new Vector3(0, 0, 1),
  page: 0,
  u: 0,
  v: 0,
  part: 0,
})
function bench() {
  const dabs: PreviewDab[] = []
  const surface = {
    layPaint: (some: PreviewDab[]) => dabs.push(...some),
    paint: { colour() {} },
    draw() {},
    middle: () => new Vector3(0, 0, 0),
    sight: () => ({ towards: new Vector3(0, 0, 1), up: new Vector3(0, 1, 0) }),
  } as unknown as SurfaceScene
  return { painter: new Painter(surface), dabs }
}

describe('a stroke', () => {
  test('lays dabs evenly, however the pointer came', () => {
    // A step is a quarter of the width: 0.05 m on 1 m of way.
    for (const stops of [[1.01], [0.5, 1.01], [0.013, 0.4, 0.41, 0.9, 1.01]]) {
      const { painter, dabs } = bench()
      painter.begin(brush())
      for (const x of [0, ...stops]) painter.touch(spot(x), firm, brush())
      expect(dabs.length).toBe(21)
      dabs.forEach((dab, k) => expect(dab.point.x).toBeCloseTo(0.05 * k, 6))
    }
  })
  test('breaks off beside the object and begins anew on it', () => {
    const { painter, dabs } = bench()
    painter.begin(brush())
    for (const at of [spot(0), spot(0.2), undefined, spot(0.8)]) painter.touch(at, firm, brush())
    const strokes = painter.finish()
    expect(strokes.map((s) => s.points.length)).toEqual([2, 1])
    expect(dabs.some((dab) => dab.point.x > 0.21 && dab.point.x < 0.79)).toBe(false)
  })
  test('draws nothing across a jump to something behind', () => {
    const { painter } = bench()
    painter.begin(brush())
    painter.touch(spot(0), firm, brush(), 0.05)
    painter.touch(spot(2), firm, brush(), 0.05)
    expect(painter.finish().length).toBe(2)
  })
  test('a hand that trembles in place adds nothing', () => {
    const { painter } = bench()
    painter.begin(brush())
    for (let k = 0; k < 50; k++) painter.touch(spot(0.001 * (k % 2)), firm, brush())
    expect(painter.finish()[0].points.length).toBe(1)
  })
  test('a very long one goes on as another', () => {
    const { painter } = bench()
    painter.begin(brush())
    for (let k = 0; k < 4100; k++) painter.touch(spot(0.01 * k), firm, brush())
    expect(painter.finish().map((s) => s.points.length)).toEqual([4000, 100])
  })
  test('pressure makes it smaller and fainter, as far as it is told to', () => {
    const { painter, dabs } = bench()
    const set = brush({ pressureSize: 0.5, pressureFlow: 1 })
    painter.begin(set)
    painter.touch(spot(0), { ...firm, pressure: 0.4 }, set)
    expect(dabs[0].radius).toBeCloseTo(0.07, 9)
    expect(dabs[0].flow).toBeCloseTo(0.4, 9)
  })
  test('a mirror lays a twin for each dab', () => {
    const { painter, dabs } = bench()
    painter.begin(brush({ mirror: 'x' }))
    painter.touch(spot(0.3, 0.1), firm, brush({ mirror: 'x' }))
    expect(dabs.map((dab) => [...dab.point.toArray()])).toEqual([[0.3, 0.1, 0], [-0.3, 0.1, 0]]) // prettier-ignore
  })
})

describe('a pen', () => {
  const event = (more: object) => ({ pointerType: 'pen', pressure: 0.5, tiltX: 0, tiltY: 0, ...more }) as PointerEvent
  test('leans as Pointer Events measure it: tilt about two axes is one lean', () => {
    // W3C Pointer Events, "converting between tiltX / tiltY and altitudeAngle / azimuthAngle".
    expect(penOf(event({ tiltX: 30 })).tilt).toBeCloseTo(30, 6)
    const { tilt, turn } = penOf(event({ tiltX: 45, tiltY: -45 }))
    expect(tilt).toBeCloseTo((Math.atan(Math.SQRT2) * 180) / Math.PI, 6)
    expect(turn).toBeCloseTo(45, 6)
  })
  test('a mouse is a firm hand', () => expect(penOf(event({ pointerType: 'mouse', pressure: 0.5 })).pressure).toBe(1))
  test('a record is read, or refused with what it needs', () => {
    const pen = [{ x: 0, y: 1, pressure: 0.5, down: true }]
    expect(penRecord(JSON.stringify({ version: 1, pen })).pen).toEqual(pen)
    for (const wrong of [
      { version: 2, pen },
      { version: 1 },
      { version: 1, pen: [{ x: 2, y: 0, pressure: 0, down: true }] },
      null,
    ])
      expect(() => penRecord(JSON.stringify(wrong))).toThrow('it needs version 1')
  })
})
