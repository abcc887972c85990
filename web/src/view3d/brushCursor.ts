import {
  BufferGeometry,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineLoop,
  LineSegments,
  Quaternion,
  Vector3,
} from 'three'

/**
 * The brush on the surface: its true size, lying as the surface lies, with a tick for how it is turned and a line for
 * the pen.
 */
export class BrushCursor {
  readonly group = new Group()
  private readonly pen: LineSegments

  constructor() {
    const circle: number[] = []
    for (let k = 0; k < 64; k++) circle.push(Math.cos((k / 64) * 2 * Math.PI), Math.sin((k / 64) * 2 * Math.PI), 0)
    const ring = new BufferGeometry().setAttribute('position', new Float32BufferAttribute(circle, 3))
    const line = (color: number, opacity: number) =>
      new LineBasicMaterial({ color, depthTest: false, transparent: true, opacity, toneMapped: false })
    const outer = new LineLoop(ring, line(0x22262a, 0.75))
    outer.scale.setScalar(1.02)
    const inner = new LineLoop(ring, line(0xfbfbfa, 1))
    const tick = new LineSegments(
      new BufferGeometry().setAttribute(
        'position',
        new Float32BufferAttribute([0.8, 0, 0, 1.15, 0, 0, 0, 0, 0, 0, 0, 0.5], 3),
      ),
      line(0xfbfbfa, 1),
    )
    this.pen = new LineSegments(
      new BufferGeometry().setAttribute('position', new Float32BufferAttribute([0, 0, 0, 0, 0, 1.6], 3)),
      line(0x2b7a6f, 1),
    )
    this.group.add(outer, inner, tick, this.pen)
    this.group.traverse((node) => (node.renderOrder = 10))
    this.group.visible = false
  }

  /** Lay it on a place of the surface; `tilt` and `turn` of the pen in degrees. */
  place(point: Vector3, normal: Vector3, radius: number, tilt: number, turn: number) {
    this.group.visible = true
    this.group.position.copy(point).addScaledVector(normal, radius * 0.02)
    this.group.quaternion.copy(new Quaternion().setFromUnitVectors(new Vector3(0, 0, 1), normal))
    this.group.scale.setScalar(radius)
    this.pen.visible = tilt > 0.5
    const lean = (tilt * Math.PI) / 180
    const a = (turn * Math.PI) / 180
    this.pen.quaternion.setFromUnitVectors(
      new Vector3(0, 0, 1),
      new Vector3(Math.sin(lean) * Math.cos(a), Math.sin(lean) * Math.sin(a), Math.cos(lean)),
    )
  }

  hide() {
    this.group.visible = false
  }
}
