import { Box3, Mesh, Texture, Vector3, type Group, type Material, type MeshPhysicalMaterial } from 'three'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import { PLAIN } from './machine'

/**
 * A delivered file as any renderer would show it: read and dressed by the general loader, which knows nothing of how the
 * view draws. It is put where the object stands; `full` is what a white of its emission stands for (cd/m2), which the
 * view shows as white.
 */
export async function fileInView(url: string, where: Box3, full: number): Promise<Group> {
  const { scene } = await new GLTFLoader().loadAsync(url)
  // An object that lies far from the origin of its file was moved back there.
  const middle = new Box3().setFromObject(scene).getCenter(new Vector3())
  scene.position.add(where.getCenter(new Vector3()).sub(middle))
  scene.traverse((node) => {
    if (!(node instanceof Mesh)) return
    node.castShadow = node.receiveShadow = true
    const material = node.material as MeshPhysicalMaterial
    if (material.emissiveIntensity > 1) material.emissiveIntensity /= full
    for (const texture of texturesOf(material)) texture.anisotropy = PLAIN ? 1 : 4
  })
  return scene
}

const texturesOf = (material: Material): Texture[] =>
  Object.values(material).filter((value): value is Texture => value instanceof Texture)

/** Give back what it took of the graphics card. */
export function letGo(scene: Group) {
  scene.removeFromParent()
  scene.traverse((node) => {
    if (!(node instanceof Mesh)) return
    node.geometry.dispose()
    for (const texture of texturesOf(node.material as Material)) texture.dispose()
    ;(node.material as Material).dispose()
  })
}
