import { Box3, CanvasTexture, Group, Mesh, MeshBasicMaterial, PlaneGeometry, Vector3, type Material } from 'three'

/** What the shadow falls on, and the soft dark patch where the sky does not reach; `meshes` stand on it. */
export function layGround(ground: Group, bounds: Box3, meshes: { mesh: Mesh }[], shadow: Material) {
  ground.clear()
  const size = bounds.getSize(new Vector3())
  const centre = bounds.getCenter(new Vector3())
  const reach = size.length()
  const catcher = new Mesh(new PlaneGeometry(reach * 8, reach * 8), shadow)
  catcher.receiveShadow = true
  // Where the object stands the sky does not reach: a soft dark patch under it.
  const patch = document.createElement('canvas')
  patch.width = patch.height = 128
  const pen = patch.getContext('2d')!
  const glow = pen.createRadialGradient(64, 64, 8, 64, 64, 64)
  glow.addColorStop(0, 'rgb(0 0 0 / 46%)')
  glow.addColorStop(0.45, 'rgb(0 0 0 / 20%)')
  glow.addColorStop(1, 'rgb(0 0 0 / 0%)')
  pen.fillStyle = glow
  pen.fillRect(0, 0, 128, 128)
  const foot = footprint(bounds, meshes)
  const wide = foot.getSize(new Vector3())
  const contact = new Mesh(
    new PlaneGeometry(wide.x * 1.6 + reach * 0.02, wide.z * 1.6 + reach * 0.02),
    new MeshBasicMaterial({ map: new CanvasTexture(patch), transparent: true, depthWrite: false, toneMapped: false }),
  )
  const under = foot.getCenter(new Vector3())
  // Both below the lowest point: what lies flat on the ground would else wear the patch.
  catcher.position.set(centre.x, bounds.min.y - reach * 6e-4, centre.z)
  contact.position.set(under.x, bounds.min.y - reach * 3e-4, under.z)
  for (const mesh of [catcher, contact]) {
    mesh.rotation.x = -Math.PI / 2
    ground.add(mesh)
  }
}

/** The box around what stands on the ground: points in the lowest twentieth of the height. */
function footprint(bounds: Box3, meshes: { mesh: Mesh }[]): Box3 {
  const box = new Box3()
  const limit = bounds.min.y + 0.05 * (bounds.max.y - bounds.min.y)
  const at = new Vector3()
  for (const { mesh } of meshes) {
    const points = mesh.geometry.getAttribute('position')
    for (let k = 0; k < points.count; k++) {
      at.fromBufferAttribute(points, k)
      if (at.y <= limit) box.expandByPoint(at)
    }
  }
  return box.isEmpty() ? bounds : box
}
