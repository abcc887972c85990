import { Box3, MOUSE, PerspectiveCamera, TOUCH, Vector3 } from 'three'
import type { OrbitControls } from 'three/addons/controls/OrbitControls.js'

/** How the object is looked at: from where, how near, with which lens, and what a pixel measures. */
export class Lens {
  constructor(
    private readonly camera: PerspectiveCamera,
    private readonly controls: OrbitControls,
    private readonly canvas: HTMLCanvasElement,
  ) {}

  /** Show what is in a box from the side it is seen from now; `reach` is the size of the whole object. */
  frame(bounds: Box3, reach: number) {
    const centre = bounds.getCenter(new Vector3())
    const direction = this.camera.position.clone().sub(this.controls.target)
    if (direction.lengthSq() < 1e-9 || this.controls.target.lengthSq() === 0) direction.set(0.58, 0.36, 0.82)
    direction.normalize()
    // Fit the eight corners as seen from that side.
    const right = new Vector3().crossVectors(new Vector3(0, 1, 0), direction).normalize()
    const up = new Vector3().crossVectors(direction, right)
    const half = (this.camera.fov * Math.PI) / 360
    let distance = 0
    for (let k = 0; k < 8; k++) {
      const corner = new Vector3(
        k & 1 ? bounds.max.x : bounds.min.x,
        k & 2 ? bounds.max.y : bounds.min.y,
        k & 4 ? bounds.max.z : bounds.min.z,
      ).sub(centre)
      const tall = Math.abs(corner.dot(up)) / Math.tan(half)
      const wide = Math.abs(corner.dot(right)) / (Math.tan(half) * this.camera.aspect)
      distance = Math.max(distance, corner.dot(direction) + Math.max(tall, wide))
    }
    distance *= 1.1
    this.controls.target.copy(centre)
    this.camera.position.copy(centre).addScaledVector(direction, distance)
    this.camera.near = reach * 0.003
    this.camera.far = distance + reach * 40
    this.controls.minDistance = reach * 0.01
    this.controls.maxDistance = reach * 30
    this.camera.updateProjectionMatrix()
    this.controls.update()
  }

  /** A long lens far away shows lengths as they are. */
  straighten(on: boolean, reach: number) {
    const offset = this.camera.position.clone().sub(this.controls.target)
    const before = Math.tan((this.camera.fov * Math.PI) / 360)
    this.camera.fov = on ? 3 : 30
    offset.multiplyScalar(before / Math.tan((this.camera.fov * Math.PI) / 360))
    this.camera.position.copy(this.controls.target).add(offset)
    this.camera.far = offset.length() + reach * 40
    this.controls.maxDistance = offset.length() * 10
    this.camera.updateProjectionMatrix()
    this.controls.update()
  }

  /** Millimetres that one CSS pixel covers at the point the camera turns about. */
  millimetresPerPixel(): number {
    const distance = this.camera.position.distanceTo(this.controls.target)
    return ((2 * distance * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(1, this.canvas.clientHeight)) * 1000
  }

  /** The same at a place of the surface, which may lie nearer or farther. */
  millimetresPerPixelAt(point: Vector3): number {
    const ahead = this.camera.getWorldDirection(new Vector3())
    const distance = point.clone().sub(this.camera.position).dot(ahead)
    return ((2 * distance * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(1, this.canvas.clientHeight)) * 1000
  }

  /** Where a place shows in the view, CSS pixels. */
  project(point: Vector3): [number, number] {
    const at = point.clone().project(this.camera)
    return [((at.x + 1) / 2) * this.canvas.clientWidth, ((1 - at.y) / 2) * this.canvas.clientHeight]
  }

  /** Which way the camera looks from, and its up. */
  sight(): { towards: Vector3; up: Vector3 } {
    return {
      towards: this.camera.getWorldDirection(new Vector3()).negate(),
      up: new Vector3(0, 1, 0).applyQuaternion(this.camera.quaternion),
    }
  }

  /** While a brush is in hand the left button draws, the right one turns and the middle one pans. */
  handOver(drawing: boolean) {
    const { mouseButtons } = this.controls
    mouseButtons.LEFT = drawing ? null : MOUSE.ROTATE
    mouseButtons.MIDDLE = drawing ? MOUSE.PAN : MOUSE.DOLLY
    mouseButtons.RIGHT = drawing ? MOUSE.ROTATE : MOUSE.PAN
    this.controls.touches.ONE = drawing ? null : TOUCH.ROTATE
  }
}
