import {
  Box3, BufferGeometry, CanvasTexture, DataTexture, DirectionalLight, Group, LinearFilter, LinearMipmapLinearFilter, Mesh, MeshBasicMaterial,
  MeshPhysicalMaterial, NeutralToneMapping, NoColorSpace, PCFShadowMap, PerspectiveCamera, PlaneGeometry, PMREMGenerator, Raycaster, RGBAFormat, Scene,
  ShadowMaterial, SRGBColorSpace, UnsignedByteType, Vector2, Vector3, WebGLRenderer, type Material, type Texture,
} from 'three' // prettier-ignore
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import { mapBytes } from '../api/client'
import type { Maps } from '../api/scene'
import { workshopLight } from './environment'

export interface Light {
  /** Degrees about up, and above the horizon. */
  azimuth: number
  elevation: number
  strength: number
}

/** Coarse drawing for machines without a graphics card: set `limus.plain` in the browser's local storage. */
const PLAIN = localStorage.getItem('limus.plain') === '1'

/** A picture uploaded once and written over in place while its size stays. */
class Plate {
  texture: DataTexture
  hash = ''
  constructor(private readonly colour: boolean) {
    this.texture = this.make(new Uint8Array([134, 134, 134, 255]), 1)
  }
  private make(bytes: Uint8Array, size: number): DataTexture {
    const texture = new DataTexture(bytes as Uint8Array<ArrayBuffer>, size, size, RGBAFormat, UnsignedByteType)
    texture.colorSpace = this.colour ? SRGBColorSpace : NoColorSpace
    texture.magFilter = LinearFilter
    texture.minFilter = LinearMipmapLinearFilter
    texture.generateMipmaps = true
    texture.anisotropy = PLAIN ? 1 : 4
    texture.needsUpdate = true
    return texture
  }
  /** True when materials must be given the new texture. */
  put(hash: string, bytes: Uint8Array): boolean {
    if (hash === this.hash) return false
    this.hash = hash
    const size = Math.round(Math.sqrt(bytes.length / 4))
    if (this.texture.image.width === size) {
      this.texture.image.data = bytes as Uint8Array<ArrayBuffer>
      this.texture.needsUpdate = true
      return false
    }
    this.texture.dispose()
    this.texture = this.make(bytes, size)
    return true
  }
}

/** The 3D view without its interface: draws only when something changed. */
export class SurfaceScene {
  readonly camera = new PerspectiveCamera(30, 1, 0.01, 100)
  readonly controls: OrbitControls
  /** Called after each frame. */
  onFrame: () => void = () => {}
  frames = 0
  private readonly renderer: WebGLRenderer
  private readonly scene = new Scene()
  private readonly sun = new DirectionalLight(0xffffff, 2)
  private readonly ground = new Group()
  private readonly shadow = new ShadowMaterial({ opacity: 0.26 })
  private model?: Group
  private meshes: { mesh: Mesh; page: number }[] = []
  private pages: {
    lit: MeshPhysicalMaterial
    flat: MeshBasicMaterial
    color: Plate
    orm: Plate
    normal: Plate
    coat: Plate
    look: Plate
  }[] = []
  private flat = false
  private wanted = 0
  private asked = false
  private bounds = new Box3()
  private readonly ray = new Raycaster()
  private readonly watcher: ResizeObserver

  constructor(private readonly canvas: HTMLCanvasElement) {
    this.renderer = new WebGLRenderer({
      canvas,
      antialias: !PLAIN,
      alpha: true,
      powerPreference: 'high-performance',
    })
    this.renderer.setClearColor(0x868686, 0)
    this.renderer.toneMapping = NeutralToneMapping
    this.renderer.toneMappingExposure = 1
    this.renderer.shadowMap.enabled = true
    this.renderer.shadowMap.type = PCFShadowMap
    this.renderer.shadowMap.autoUpdate = false
    const prefilter = new PMREMGenerator(this.renderer)
    const source = workshopLight()
    this.scene.environment = prefilter.fromEquirectangular(source).texture
    source.dispose()
    prefilter.dispose()
    this.sun.castShadow = true
    this.sun.shadow.mapSize.setScalar(PLAIN ? 512 : 2048)
    this.sun.shadow.radius = 2
    this.scene.add(this.sun, this.sun.target, this.ground)
    this.controls = new OrbitControls(this.camera, canvas)
    this.controls.enableDamping = false
    this.controls.zoomToCursor = true
    this.controls.addEventListener('change', () => this.draw())
    this.watcher = new ResizeObserver(() => this.resize())
    this.watcher.observe(canvas.parentElement!)
    this.resize()
  }

  dispose() {
    this.watcher.disconnect()
    this.controls.dispose()
    this.clear()
    this.renderer.dispose()
  }

  /** Ask for one frame; many calls before it give one frame. */
  draw() {
    if (this.asked) return
    this.asked = true
    requestAnimationFrame(() => {
      this.asked = false
      this.renderer.render(this.scene, this.camera)
      this.frames++
      this.canvas.dataset.frame = String(this.frames)
      this.onFrame()
    })
  }

  private resize() {
    const { clientWidth, clientHeight } = this.canvas.parentElement!
    if (!clientWidth || !clientHeight) return
    this.renderer.setPixelRatio(PLAIN ? 0.6 : Math.min(devicePixelRatio, 2))
    this.renderer.setSize(clientWidth, clientHeight, false)
    this.camera.aspect = clientWidth / clientHeight
    this.camera.updateProjectionMatrix()
    this.draw()
  }

  private clear() {
    if (this.model) this.scene.remove(this.model)
    for (const { mesh } of this.meshes) mesh.geometry.dispose()
    for (const page of this.pages) {
      page.lit.dispose()
      page.flat.dispose()
      for (const plate of [page.color, page.orm, page.normal, page.coat, page.look]) plate.texture.dispose()
    }
    this.meshes = []
    this.pages = []
    this.model = undefined
  }

  /** Load the bare object; `mapSets` are the names of its UV domains, in order. */
  async load(url: string, mapSets: string[]) {
    const { scene } = await new GLTFLoader().loadAsync(url)
    this.clear()
    this.pages = mapSets.map(() => {
      const [color, orm, normal, coat, look] = [
        new Plate(true),
        new Plate(false),
        new Plate(false),
        new Plate(false),
        new Plate(true),
      ]
      const lit = new MeshPhysicalMaterial({
        map: color.texture, roughnessMap: orm.texture, metalnessMap: orm.texture, aoMap: orm.texture, normalMap: normal.texture, roughness: 1, metalness: 1,
      }) // prettier-ignore
      return {
        lit,
        flat: new MeshBasicMaterial({ map: look.texture, toneMapped: false }),
        color,
        orm,
        normal,
        coat,
        look,
      }
    })
    scene.traverse((node) => {
      if (!(node instanceof Mesh)) return
      const page = Math.max(0, mapSets.indexOf((node.material as Material).name))
      node.castShadow = true
      node.receiveShadow = true
      node.material = this.pages[page].lit
      this.meshes.push({ mesh: node, page })
    })
    this.model = scene
    this.scene.add(scene)
    this.bounds = new Box3().setFromObject(scene)
    this.layGround()
    this.aim(this.light)
    this.frame()
  }

  private layGround() {
    this.ground.clear()
    const size = this.bounds.getSize(new Vector3())
    const centre = this.bounds.getCenter(new Vector3())
    const reach = size.length()
    const catcher = new Mesh(new PlaneGeometry(reach * 8, reach * 8), this.shadow)
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
    const foot = this.footprint()
    const wide = foot.getSize(new Vector3())
    const contact = new Mesh(
      new PlaneGeometry(wide.x * 1.6 + reach * 0.02, wide.z * 1.6 + reach * 0.02),
      new MeshBasicMaterial({ map: new CanvasTexture(patch), transparent: true, depthWrite: false, toneMapped: false }),
    )
    const under = foot.getCenter(new Vector3())
    catcher.position.set(centre.x, this.bounds.min.y, centre.z)
    contact.position.set(under.x, this.bounds.min.y + reach * 1e-4, under.z)
    for (const mesh of [catcher, contact]) {
      mesh.rotation.x = -Math.PI / 2
      this.ground.add(mesh)
    }
  }

  /** The box around what stands on the ground: points in the lowest twentieth of the height. */
  private footprint(): Box3 {
    const box = new Box3()
    const limit = this.bounds.min.y + 0.05 * (this.bounds.max.y - this.bounds.min.y)
    const at = new Vector3()
    for (const { mesh } of this.meshes) {
      const points = mesh.geometry.getAttribute('position')
      for (let k = 0; k < points.count; k++) {
        at.fromBufferAttribute(points, k)
        if (at.y <= limit) box.expandByPoint(at)
      }
    }
    return box.isEmpty() ? this.bounds : box
  }

  /** Put new maps on; resolves when they are in place, or at once when newer ones were asked for meanwhile. */
  async setMaps(maps: Maps) {
    const mine = ++this.wanted
    const groups = [maps.base_color, maps.orm, maps.normal, maps.clear_coat]
    const bytes = await Promise.all(groups.map((hashes) => Promise.all(hashes.map(mapBytes))))
    if (mine !== this.wanted) return
    this.pages.forEach((page, k) => {
      const { lit } = page
      if (page.color.put(maps.base_color[k], bytes[0][k])) lit.map = page.color.texture
      if (page.orm.put(maps.orm[k], bytes[1][k])) lit.roughnessMap = lit.metalnessMap = lit.aoMap = page.orm.texture
      if (page.normal.put(maps.normal[k], bytes[2][k])) lit.normalMap = page.normal.texture
      const coated = maps.clear_coat.length > 0
      if (coated) page.coat.put(maps.clear_coat[k], bytes[3][k])
      const had = lit.clearcoat > 0
      lit.clearcoat = coated ? 1 : 0
      lit.clearcoatRoughness = 1
      lit.clearcoatMap = lit.clearcoatRoughnessMap = coated ? page.coat.texture : null
      if (had !== coated) lit.needsUpdate = true
    })
    this.use(false)
  }

  /** Show a look-through: pictures as they are, without light. */
  async setLook(hashes: string[]) {
    const mine = ++this.wanted
    const bytes = await Promise.all(hashes.map(mapBytes))
    if (mine !== this.wanted) return
    this.pages.forEach((page, k) => {
      if (page.look.put(hashes[k], bytes[k])) page.flat.map = page.look.texture
    })
    this.use(true)
  }

  private use(flat: boolean) {
    this.flat = flat
    for (const { mesh, page } of this.meshes) mesh.material = flat ? this.pages[page].flat : this.pages[page].lit
    this.ground.visible = !flat
    this.draw()
  }

  private light: Light = { azimuth: -35, elevation: 48, strength: 1 }

  /** Turn the light: the room turns with the sun. */
  aim(light: Light) {
    this.light = light
    const a = (light.azimuth * Math.PI) / 180
    const e = (light.elevation * Math.PI) / 180
    const centre = this.bounds.isEmpty() ? new Vector3() : this.bounds.getCenter(new Vector3())
    const reach = this.bounds.isEmpty() ? 1 : this.bounds.getSize(new Vector3()).length()
    this.sun.target.position.copy(centre)
    this.sun.position
      .set(Math.sin(a) * Math.cos(e), Math.sin(e), Math.cos(a) * Math.cos(e))
      .multiplyScalar(reach * 2)
      .add(centre)
    this.sun.intensity = 1.9 * light.strength
    this.scene.environmentIntensity = 0.85 * light.strength
    this.scene.environmentRotation.set(0, a + 0.6, 0)
    const box = this.sun.shadow.camera
    box.left = box.bottom = -reach * 0.75
    box.right = box.top = reach * 0.75
    box.near = reach * 0.5
    box.far = reach * 4
    box.updateProjectionMatrix()
    this.sun.shadow.normalBias = reach * 0.002
    this.renderer.shadowMap.needsUpdate = true
    this.draw()
  }

  /** Show all of the object from the standard side. */
  frame() {
    if (this.bounds.isEmpty()) return
    const centre = this.bounds.getCenter(new Vector3())
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
        k & 1 ? this.bounds.max.x : this.bounds.min.x,
        k & 2 ? this.bounds.max.y : this.bounds.min.y,
        k & 4 ? this.bounds.max.z : this.bounds.min.z,
      ).sub(centre)
      const tall = Math.abs(corner.dot(up)) / Math.tan(half)
      const wide = Math.abs(corner.dot(right)) / (Math.tan(half) * this.camera.aspect)
      distance = Math.max(distance, corner.dot(direction) + Math.max(tall, wide))
    }
    distance *= 1.1
    this.controls.target.copy(centre)
    this.camera.position.copy(centre).addScaledVector(direction, distance)
    const reach = this.bounds.getSize(new Vector3()).length()
    this.camera.near = reach * 0.003
    this.camera.far = distance + reach * 40
    this.controls.minDistance = reach * 0.01
    this.controls.maxDistance = reach * 30
    this.camera.updateProjectionMatrix()
    this.controls.update()
    this.draw()
  }

  /** A long lens far away shows lengths as they are. */
  straighten(on: boolean) {
    const offset = this.camera.position.clone().sub(this.controls.target)
    const before = Math.tan((this.camera.fov * Math.PI) / 360)
    this.camera.fov = on ? 3 : 30
    offset.multiplyScalar(before / Math.tan((this.camera.fov * Math.PI) / 360))
    this.camera.position.copy(this.controls.target).add(offset)
    const reach = this.bounds.getSize(new Vector3()).length()
    this.camera.far = offset.length() + reach * 40
    this.controls.maxDistance = offset.length() * 10
    this.camera.updateProjectionMatrix()
    this.controls.update()
    this.draw()
  }

  /** Millimetres that one CSS pixel covers at the point the camera turns about. */
  millimetresPerPixel(): number {
    const distance = this.camera.position.distanceTo(this.controls.target)
    return ((2 * distance * Math.tan((this.camera.fov * Math.PI) / 360)) / Math.max(1, this.canvas.clientHeight)) * 1000
  }

  /** Map set and UV under a point of the view (CSS pixels), or nothing. */
  pick(x: number, y: number): { page: number; u: number; v: number } | undefined {
    if (!this.model) return
    const at = new Vector2((x / this.canvas.clientWidth) * 2 - 1, 1 - (y / this.canvas.clientHeight) * 2)
    this.ray.setFromCamera(at, this.camera)
    const hit = this.ray.intersectObject(this.model, true)[0]
    if (!hit?.uv) return
    return { page: this.meshes.find((m) => m.mesh === hit.object)?.page ?? 0, u: hit.uv.x, v: hit.uv.y }
  }

  /** UV edges of a map set as pairs of points, for the UV view. */
  outlines(page: number): Float32Array {
    const out: number[] = []
    for (const entry of this.meshes) {
      if (entry.page !== page) continue
      const geometry: BufferGeometry = entry.mesh.geometry
      const uv = geometry.getAttribute('uv')
      const index = geometry.getIndex()!
      const seen = new Map<number, number[]>()
      const count = uv.count
      for (let k = 0; k < index.count; k += 3) {
        for (let e = 0; e < 3; e++) {
          const a = index.getX(k + e)
          const b = index.getX(k + ((e + 1) % 3))
          const key = Math.min(a, b) * count + Math.max(a, b)
          if (seen.has(key)) seen.delete(key)
          else seen.set(key, [a, b])
        }
      }
      for (const [a, b] of seen.values()) out.push(uv.getX(a), uv.getY(a), uv.getX(b), uv.getY(b))
    }
    return new Float32Array(out)
  }

  /** The texture now on a map set, for the UV view. */
  shown(page: number): Texture | undefined {
    const entry = this.pages[page]
    return entry && (this.flat ? entry.look.texture : entry.color.texture)
  }
}
