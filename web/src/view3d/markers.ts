import { EdgesGeometry, LineBasicMaterial, LineSegments, Mesh, type Object3D } from 'three'

/** Edges sharper than this, degrees, are drawn: outlines of flat pieces, and the ridges of solid ones. */
const SHARP = 25

/** The outlines of a marker's pieces, over everything. */
export function markerLines(scene: Object3D): LineSegments[] {
  const lines: LineSegments[] = []
  scene.updateMatrixWorld(true)
  scene.traverse((node) => {
    if (!(node instanceof Mesh)) return
    const edges = new EdgesGeometry(node.geometry, SHARP).applyMatrix4(node.matrixWorld)
    const material = new LineBasicMaterial({
      color: 0x2f8f7d,
      transparent: true,
      opacity: 0.85,
      // They lie in the surface, which would cover every other pixel of them.
      depthTest: false,
      toneMapped: false,
    })
    lines.push(new LineSegments(edges, material))
  })
  return lines
}
