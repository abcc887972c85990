import { Vector2, type Camera, type Scene, type WebGLRenderer } from 'three'

/**
 * The view drawn small, as a picture to be put elsewhere: the whole view as small as covers the picture, in a corner of
 * its own canvas. Whoever takes pictures draws the view again afterwards, in the same turn.
 */
export class SmallPicture {
  private readonly size: Vector2
  private readonly paper = document.createElement('canvas')
  private readonly scale: number

  constructor(
    private readonly renderer: WebGLRenderer,
    private readonly width: number,
    private readonly height: number,
  ) {
    this.size = renderer.getSize(new Vector2())
    this.scale = Math.max(width / this.size.x, height / this.size.y)
    this.paper.width = width
    this.paper.height = height
    renderer.setViewport(0, 0, this.size.x * this.scale, this.size.y * this.scale)
  }

  /** Its data address. */
  take(scene: Scene, camera: Camera): string {
    this.renderer.render(scene, camera)
    const { width, height, renderer } = this
    const ratio = renderer.getPixelRatio()
    const [w, h] = [this.size.x * this.scale, this.size.y * this.scale]
    const pen = this.paper.getContext('2d')!
    // The view has no ground of its own: a picture would lie over the one before.
    pen.fillStyle = '#868686'
    pen.fillRect(0, 0, width, height)
    pen.drawImage(
      renderer.domElement,
      ((w - width) / 2) * ratio,
      renderer.domElement.height - (h - (h - height) / 2) * ratio,
      width * ratio,
      height * ratio,
      0,
      0,
      width,
      height,
    )
    return this.paper.toDataURL('image/webp', 0.85)
  }
  done() {
    this.renderer.setViewport(0, 0, this.size.x, this.size.y)
  }
}
