import { Vector3 } from 'three'
import type { DrawnStroke, MirrorAxis, Touch } from '../stores/hand'
import type { PreviewDab } from './paintPreview'
import type { Spot } from './picking'
import type { SurfaceScene } from './surfaceScene'

export interface BrushNow {
  radius: (point: Vector3) => number
  hardness: number
  flow: number
  spacing: number
  pressureSize: number
  pressureFlow: number
  mirror: MirrorAxis
  facing: 'surface' | 'camera'
  adds: boolean
}
export interface Pen {
  pressure: number
  /** Degrees from upright, and about the surface. */
  tilt: number
  turn: number
}

/** The pen of a pointer event: a mouse has no pressure and counts as a firm hand. */
export function penOf(event: PointerEvent): Pen {
  const pressure = event.pointerType === 'mouse' || !event.pressure ? 1 : event.pressure
  const x = Math.tan(((event.tiltX || 0) * Math.PI) / 180)
  const y = Math.tan(((event.tiltY || 0) * Math.PI) / 180)
  return {
    pressure: Math.min(1, pressure),
    tilt: Math.min(90, (Math.atan(Math.hypot(x, y)) * 180) / Math.PI),
    turn: (Math.atan2(-y, x) * 180) / Math.PI,
  }
}

/** Turns a pointer that moves over the surface into strokes, and shows them at once. */
export class Painter {
  private strokes: DrawnStroke[] = []
  private current?: DrawnStroke
  private last?: { point: Vector3; normal: Vector3; pressure: number }
  private rest = 0
  drawing = false
  /** Where the last gesture ended, for straight lines. */
  end?: Vector3

  constructor(private readonly surface: SurfaceScene) {}

  begin(brush: BrushNow) {
    this.strokes = []
    this.current = undefined
    this.last = undefined
    this.drawing = true
    this.surface.paint.colour(brush.adds)
  }

  /**
   * The pointer is over a place of the surface, or beside it; `farthest` (m) is how far it can have come on one
   * surface.
   */
  touch(spot: Spot | undefined, pen: Pen, brush: BrushNow, farthest = Infinity) {
    if (!this.drawing) return
    if (spot && this.last && spot.point.distanceTo(this.last.point) > farthest + 2 * brush.radius(spot.point)) {
      // The pointer jumped to something behind or beside: nothing is drawn between.
      this.current = undefined
      this.last = undefined
    }
    if (!spot) {
      // Beside the object the stroke breaks off; back on it another one begins.
      this.current = undefined
      this.last = undefined
      return
    }
    const { towards, up } = this.surface.sight()
    const way = brush.facing === 'camera' ? towards : spot.normal
    const radius = brush.radius(spot.point)
    if (!this.current) {
      this.current = { points: [], cameraUp: [up.x, up.y, up.z] }
      this.strokes.push(this.current)
    }
    const { points } = this.current
    const before = points.at(-1)
    const { point } = spot
    if (before && Math.hypot(point.x - before[0], point.y - before[1], point.z - before[2]) < radius * 0.02) return
    const entry: Touch = [point.x, point.y, point.z, way.x, way.y, way.z, pen.pressure, pen.tilt, pen.turn]
    points.push(entry)
    this.preview(spot.point.clone(), way.clone(), pen.pressure, radius, brush)
    this.end = spot.point.clone()
    // A very long stroke goes on as another.
    if (points.length >= 4000) this.current = undefined
  }

  finish(): DrawnStroke[] {
    this.drawing = false
    this.current = undefined
    this.last = undefined
    return this.strokes.filter((s) => s.points.length)
  }

  private preview(point: Vector3, normal: Vector3, pressure: number, radius: number, brush: BrushNow) {
    const dabs: PreviewDab[] = []
    const step = Math.max(2 * radius * brush.spacing, radius * 0.05)
    const one = (p: Vector3, n: Vector3, force: number) => {
      const dab = {
        point: p,
        normal: n,
        radius: radius * (1 - brush.pressureSize * (1 - force)),
        hardness: brush.hardness,
        flow: brush.flow * (1 - brush.pressureFlow * (1 - force)),
      }
      dabs.push(dab)
      if (brush.mirror !== 'none') {
        const axis = brush.mirror
        const at = this.surface.middle()[axis]
        const twin = { ...dab, point: p.clone(), normal: n.clone() }
        twin.point[axis] = 2 * at - p[axis]
        twin.normal[axis] = -n[axis]
        dabs.push(twin)
      }
    }
    if (!this.last) {
      one(point, normal, pressure)
      this.rest = step
    } else {
      const long = point.distanceTo(this.last.point)
      let at = this.rest
      while (at <= long) {
        const share = at / long
        one(
          this.last.point.clone().lerp(point, share),
          this.last.normal.clone().lerp(normal, share).normalize(),
          this.last.pressure + (pressure - this.last.pressure) * share,
        )
        at += step
      }
      this.rest = at - long
    }
    this.last = { point, normal, pressure }
    if (dabs.length) this.surface.layPaint(dabs)
    this.surface.draw()
  }
}
