import { Vector2, type PerspectiveCamera, type WebGLRenderer } from 'three'
import type { Evaluation } from '../api/scene'
import { DifferencePass } from './differencePass'
import type { SecondSurface } from './secondSurface'

/** Ways to see two states of a surface at once. */
export type Comparison = 'wipe' | 'side' | 'difference'

/** Another answer beside what is shown: a line between them, side by side, or how they differ. */
export class Comparing {
  private other?: { surface: SecondSurface; flat: boolean }
  private readonly by = { way: 'wipe' as Comparison, at: 0.5, times: 4 }
  private difference?: DifferencePass
  private turn = 0

  get on() {
    return !!this.other
  }
  /** Compare with `found` on `surface`, which is let go of where something newer was asked for meanwhile. */
  async begin(found: Pick<Evaluation, 'maps' | 'look'>, surface: SecondSurface): Promise<void> {
    const mine = ++this.turn
    await surface.put(found)
    if (mine !== this.turn) {
      surface.dispose()
      return
    }
    this.other?.surface.dispose()
    this.other = { surface, flat: !!found.look }
  }
  end() {
    this.turn++
    this.other?.surface.dispose()
    this.other = undefined
  }
  dispose() {
    this.end()
    this.difference?.dispose()
  }
  /** How the two are shown: `at` is where the line stands (0 to 1), `times` how much a difference is made stronger. */
  set(way: Comparison, at: number, times: number) {
    Object.assign(this.by, { way, at, times })
  }

  /** Draw both: `draw` as everything is, after `wear` put the other one on, or `dress` what is shown. */
  render(
    renderer: WebGLRenderer,
    camera: PerspectiveCamera,
    draw: () => void,
    wear: (other: SecondSurface, flat: boolean) => void,
    dress: () => void,
  ) {
    const { surface, flat } = this.other!
    const { way, at, times } = this.by
    if (way === 'difference') {
      this.difference ??= new DifferencePass()
      this.difference.draw(renderer, draw, [() => wear(surface, flat), dress], times)
      return
    }
    const size = renderer.getSize(new Vector2())
    const line = Math.round(at * size.x)
    renderer.setScissorTest(true)
    if (way === 'side') camera.setViewOffset(size.x, size.y, size.x / 4, 0, size.x / 2, size.y)
    const half = (left: boolean) => {
      const [x, w] =
        way === 'side' ? [left ? 0 : size.x / 2, size.x / 2] : [left ? 0 : line, left ? line : size.x - line]
      if (w < 1) return
      if (way === 'side') renderer.setViewport(x, 0, w, size.y)
      renderer.setScissor(x, 0, w, size.y)
      draw()
    }
    wear(surface, flat)
    half(true)
    dress()
    half(false)
    if (way === 'side') {
      camera.clearViewOffset()
      renderer.setViewport(0, 0, size.x, size.y)
    }
    renderer.setScissorTest(false)
    renderer.setScissor(0, 0, size.x, size.y)
  }
}
