import { Group, LineSegments, Mesh, MeshStandardMaterial } from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import { during } from '../rest'
import { markerLines } from './markers'

/** Other objects that stand by, and outlines of markers. */
export class Around {
  readonly group = new Group()
  private shown = true
  private turn = 0

  /** Outlines of markers would lie over what is judged by eye. */
  showMarkers(on: boolean) {
    this.shown = on
    for (const one of this.group.children) if (one instanceof LineSegments) one.visible = on
  }

  /** As they are placed; says whether these are the ones that are shown now. */
  async set(others: { url: string; marker: boolean }[]): Promise<boolean> {
    const mine = ++this.turn
    const loaded = await during('neighbours', Promise.all(others.map(({ url }) => new GLTFLoader().loadAsync(url))))
    if (mine !== this.turn) return false
    this.group.clear()
    for (const [k, { scene }] of loaded.entries()) {
      if (others[k].marker) {
        for (const lines of markerLines(scene)) {
          lines.visible = this.shown
          this.group.add(lines)
        }
        continue
      }
      scene.traverse((node) => {
        if (!(node instanceof Mesh)) return
        node.material = new MeshStandardMaterial({ color: 0x9a9a98, roughness: 0.9, transparent: true, opacity: 0.55 })
        node.castShadow = true
      })
      this.group.add(scene)
    }
    return true
  }
}
