import {
  Box3, Box3Helper, BufferAttribute, BufferGeometry, CanvasTexture, DirectionalLight, Group, 
  LineBasicMaterial, LineSegments, Mesh, MOUSE, TOUCH, MeshBasicMaterial, MeshStandardMaterial, NeutralToneMapping, PCFShadowMap, PerspectiveCamera, PlaneGeometry, PMREMGenerator, Raycaster, Scene,
  ShadowMaterial, SphereGeometry, Vector2, Vector3, WebGLRenderer, type Material, type Texture,
} from 'three' // prettier-ignore
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import { acceleratedRaycast, MeshBVH } from 'three-mesh-bvh'
import { mapBytes } from '../api/pictures'
import type { Maps } from '../api/scene'
import { begun, during } from '../rest'
import { BrushCursor } from './brushCursor'
import { workshopLight } from './environment'
import type { Packing } from './packing'
import { PaintPreview } from './paintPreview'
import { PLAIN, Plate } from './plate'
import { depthOf, edgeFor, holdSeams, movable, ReliefPlate } from './relief'
import { SurfaceMaterial } from './surfaceMaterial'
import { unseen } from './unseen'

export interface Light {
  /** Degrees about up, and above the horizon. */
  azimuth: number
  elevation: number
  strength: number
}

/** What lies under a point of the view. */
export interface Spot {
  page: number
  u: number
  v: number
  part: number
  point: Vector3
  /** Which way the surface faces there, unit length. */
  normal: Vector3
  /** Metres that a width of the picture covers there; only where it was found from the UVs. */
  perUv?: number
}

/** Directions drawn on the ground: compass degrees of north in the view, and where the wind comes from. */
export interface CompassMarks {
  north: number
  wind: number
  speed: number
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
  private readonly extras = new Group()
  private readonly near = new Group()
  private frameOfPart?: Box3Helper
  private readonly dot = new Mesh(
    new SphereGeometry(1, 16, 12),
    new MeshBasicMaterial({ color: 0x2b7a6f, depthTest: false, transparent: true, toneMapped: false }),
  )
  private compass?: LineSegments
  readonly cursor = new BrushCursor()
  readonly paint: PaintPreview
  private pages: {
    lit: SurfaceMaterial
    flat: MeshBasicMaterial
    look: Plate
    relief: ReliefPlate
  }[] = []
  /** Finer meshes that follow the relief; made when they are first wanted. */
  private fine: { mesh: Mesh; page: number }[] = []
  private moving = false
  private flat = false
  private wanted = 0
  private asked = false
  private over = false
  /** Off where nobody looks: set `limus.view` to `off` in the browser's local storage. All but the drawing goes on as usual. */
  private readonly drawn = localStorage.getItem('limus.view') !== 'off'
  private bounds = new Box3()
  private readonly ray = new Raycaster()
  private readonly watcher: ResizeObserver

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly packing: () => Packing,
  ) {
    this.renderer = this.drawn
      ? new WebGLRenderer({ canvas, antialias: !PLAIN, alpha: true, powerPreference: 'high-performance' })
      : unseen()
    this.renderer.setClearColor(0x868686, 0)
    this.renderer.toneMapping = NeutralToneMapping
    // White snow in full sun stays below white, or its relief would be lost.
    this.renderer.toneMappingExposure = 0.66
    this.renderer.shadowMap.enabled = true
    this.renderer.shadowMap.type = PCFShadowMap
    this.renderer.shadowMap.autoUpdate = false
    if (this.drawn) {
      const prefilter = new PMREMGenerator(this.renderer)
      const source = workshopLight()
      this.scene.environment = prefilter.fromEquirectangular(source).texture
      source.dispose()
      prefilter.dispose()
    }
    this.sun.castShadow = true
    this.sun.shadow.mapSize.setScalar(PLAIN ? 512 : 2048)
    this.sun.shadow.radius = 2
    this.scene.add(this.sun, this.sun.target, this.ground, this.extras, this.near)
    this.dot.visible = false
    this.dot.renderOrder = 9
    this.extras.add(this.dot, this.cursor.group)
    this.paint = new PaintPreview(this.renderer, PLAIN ? 256 : 1024)
    this.controls = new OrbitControls(this.camera, canvas)
    this.controls.enableDamping = false
    this.controls.zoomToCursor = true
    this.controls.addEventListener('change', () => this.draw())
    this.watcher = new ResizeObserver(() => this.resize())
    this.watcher.observe(canvas.parentElement!)
    this.resize()
  }

  dispose() {
    this.over = true
    this.watcher.disconnect()
    this.controls.dispose()
    this.clear()
    this.paint.dispose()
    this.renderer.dispose()
  }

  /** Ask for one frame; many calls before it give one frame. */
  draw() {
    if (this.asked || this.over) return
    this.asked = true
    const over = begun('a frame')
    requestAnimationFrame(() => {
      this.asked = false
      over()
      // A frame after the end would give textures their storage a second time.
      if (this.over) return
      if (this.drawn) this.renderer.render(this.scene, this.camera)
      else {
        // What drawing does on the way, and picking relies on.
        this.scene.updateMatrixWorld()
        this.camera.updateMatrixWorld()
      }
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
    this.highlight(-1)
    for (const page of this.pages) {
      page.lit.dispose()
      page.flat.dispose()
      page.look.texture.dispose()
    }
    this.dropFine()
    for (const page of this.pages) page.relief.texture.dispose()
    this.meshes = []
    this.pages = []
    this.model = undefined
  }

  /** Load the bare object; `mapSets` are the names of its UV domains, in order. */
  async load(url: string, mapSets: string[]) {
    const mine = ++this.loading
    const { scene } = await new GLTFLoader().loadAsync(url)
    if (mine !== this.loading) return
    const before = this.bounds.clone()
    this.clear()
    this.pages = mapSets.map(() => {
      const look = new Plate(true)
      return {
        lit: new SurfaceMaterial(this.renderer.capabilities.maxTextures, this.packing()),
        flat: new MeshBasicMaterial({ map: look.texture, toneMapped: false }),
        look,
        relief: new ReliefPlate(),
      }
    })
    scene.traverse((node) => {
      if (!(node instanceof Mesh)) return
      const page = Math.max(0, mapSets.indexOf((node.material as Material).name))
      node.geometry.boundsTree = new MeshBVH(node.geometry)
      node.raycast = acceleratedRaycast
      node.castShadow = true
      node.receiveShadow = true
      node.material = this.pages[page].lit
      this.meshes.push({ mesh: node, page })
    })
    this.model = scene
    this.scene.add(scene)
    this.paint.take(mapSets.length, this.meshes)
    this.pages.forEach((page, k) => {
      this.paint.apply(page.lit, k)
      this.paint.apply(page.flat, k)
    })
    this.bounds = new Box3().setFromObject(scene)
    this.layGround()
    this.aim(this.light)
    // A newer version of the same object is looked at from where the old one was.
    const moved =
      before.isEmpty() ||
      before.getSize(new Vector3()).distanceTo(this.bounds.getSize(new Vector3())) > 0.02 * this.reach()
    if (moved) this.frame()
    else this.draw()
  }
  private loading = 0

  private reach(): number {
    return this.bounds.getSize(new Vector3()).length()
  }

  /** Draw a box around one part; -1 for none. */
  highlight(part: number) {
    if (this.frameOfPart) {
      this.extras.remove(this.frameOfPart)
      this.frameOfPart.dispose()
      this.frameOfPart = undefined
    }
    const entry = this.meshes[part]
    if (entry) {
      this.frameOfPart = new Box3Helper(new Box3().setFromObject(entry.mesh), 0x2b7a6f)
      ;(this.frameOfPart.material as LineBasicMaterial).toneMapped = false
      this.extras.add(this.frameOfPart)
    }
    this.draw()
  }

  /** Mark a place of the surface. */
  mark(point?: Vector3) {
    if (!point && !this.dot.visible) return
    this.dot.visible = !!point
    if (point) {
      this.dot.position.copy(point)
      this.dot.scale.setScalar((this.millimetresPerPixel() / 1000) * 5)
    }
    this.draw()
  }

  /** Other objects that stand by, as they are placed. */
  async setNeighbours(urls: string[]) {
    const mine = ++this.nearing
    const loaded = await during('neighbours', Promise.all(urls.map((url) => new GLTFLoader().loadAsync(url))))
    if (mine !== this.nearing) return
    this.near.clear()
    for (const { scene } of loaded) {
      scene.traverse((node) => {
        if (!(node instanceof Mesh)) return
        node.material = new MeshStandardMaterial({ color: 0x9a9a98, roughness: 0.9, transparent: true, opacity: 0.55 })
        node.castShadow = true
      })
      this.near.add(scene)
    }
    this.renderer.shadowMap.needsUpdate = true
    this.draw()
  }
  private nearing = 0

  /** North and wind on the ground around the object. */
  setCompass(marks?: CompassMarks) {
    if (this.compass) {
      this.extras.remove(this.compass)
      this.compass.geometry.dispose()
      this.compass = undefined
    }
    if (marks && !this.bounds.isEmpty()) {
      const size = this.bounds.getSize(new Vector3())
      const centre = this.bounds.getCenter(new Vector3())
      const r = Math.hypot(size.x, size.z) * 0.62 + this.reach() * 0.05
      const at = (degrees: number, radius: number) => {
        const a = (degrees * Math.PI) / 180
        return [
          centre.x + Math.sin(a) * radius,
          this.bounds.min.y + this.reach() * 0.002,
          centre.z - Math.cos(a) * radius,
        ]
      }
      const points: number[] = []
      const line = (...pairs: [number, number][]) => {
        for (let k = 0; k + 1 < pairs.length; k++) points.push(...at(...pairs[k]), ...at(...pairs[k + 1]))
      }
      for (let k = 0; k < 72; k++) line([k * 5, r], [k * 5 + 5, r])
      for (let k = 0; k < 4; k++) line([marks.north + k * 90, r], [marks.north + k * 90, r * (k ? 1.04 : 1.09)])
      // The letter N beyond its mark.
      const n = marks.north
      line([n - 3, r * 1.12], [n - 3, r * 1.24], [n + 3, r * 1.12], [n + 3, r * 1.24])
      if (marks.speed > 0) {
        const w = marks.north + marks.wind
        const long = 0.16 + Math.min(0.3, marks.speed * 0.02)
        line([w, r * (1.06 + long)], [w, r * 1.06])
        line([w - 3.2, r * 1.13], [w, r * 1.06], [w + 3.2, r * 1.13])
      }
      const geometry = new BufferGeometry()
      geometry.setAttribute('position', new BufferAttribute(new Float32Array(points), 3))
      this.compass = new LineSegments(geometry, new LineBasicMaterial({ color: 0xfbfbfa, toneMapped: false }))
      this.extras.add(this.compass)
    }
    this.draw()
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
    // Both below the lowest point: what lies flat on the ground would else wear the patch.
    catcher.position.set(centre.x, this.bounds.min.y - reach * 6e-4, centre.z)
    contact.position.set(under.x, this.bounds.min.y - reach * 3e-4, under.z)
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

  /** Put new maps on; resolves when they are in place, or at once when newer ones were asked for meanwhile.
   *  Names of pictures that the graphics card has no room for come back. */
  async setMaps(maps: Maps): Promise<string[]> {
    const mine = ++this.wanted
    const groups: [string, string[]][] = [
      ['base_color', maps.base_color],
      ['orm', maps.orm],
      ['normal', maps.normal],
      ...Object.entries(maps.more ?? {}),
    ]
    const bytes = await Promise.all(groups.map(([, hashes]) => Promise.all(hashes.map(mapBytes))))
    if (mine !== this.wanted) return []
    let left: string[] = []
    this.pages.forEach((page, k) => {
      left = page.lit.put(new Map(groups.map(([name, hashes], g) => [name, [hashes[k], bytes[g][k]]])), maps)
    })
    const moved = maps.relief?.length ? await Promise.all(maps.relief.map(mapBytes)) : []
    if (mine !== this.wanted) return []
    this.moving = moved.length > 0
    const other = moved.map((bytes, k) => this.pages[k]?.relief.put(maps.relief![k], bytes))
    for (const { mesh, page } of this.fine) if (other[page]) holdSeams(mesh, this.pages[page].relief)
    this.use(false)
    return left
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

  private dropFine() {
    for (const { mesh } of this.fine) {
      mesh.removeFromParent()
      mesh.geometry.dispose()
    }
    this.fine = []
  }

  /** Finer meshes for all parts, with edges that suit the area of the object. */
  private makeFine() {
    const size = this.bounds.getSize(new Vector3())
    const edge = edgeFor(Math.max(1e-9, 2 * (size.x * size.y + size.y * size.z + size.z * size.x)))
    const depths = this.pages.map((page) => depthOf(page.relief))
    this.fine = this.meshes.map(({ mesh, page }) => {
      const made = movable(mesh, edge, depths[page])
      holdSeams(made, this.pages[page].relief)
      mesh.add(made)
      return { mesh: made, page }
    })
  }

  private use(flat: boolean) {
    this.flat = flat
    const moved = this.moving && !flat
    if (moved) this.renderer.shadowMap.needsUpdate = true
    if (moved && !this.fine.length && this.meshes.length) this.makeFine()
    this.pages.forEach((page) => page.lit.move(moved ? page.relief : undefined))
    for (const { mesh, page } of this.fine) {
      mesh.visible = moved
      mesh.material = this.pages[page].lit
    }
    for (const { mesh, page } of this.meshes)
      mesh.material = moved ? this.unseen : flat ? this.pages[page].flat : this.pages[page].lit
    if (moved !== this.wasMoved) this.renderer.shadowMap.needsUpdate = true
    this.wasMoved = moved
    this.ground.visible = !flat
    this.draw()
  }

  private wasMoved = false
  /** For meshes that are only there to be clicked on. */
  private readonly unseen = new MeshBasicMaterial({ visible: false })

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
    this.sun.intensity = 2.7 * light.strength
    this.scene.environmentIntensity = 0.85 * light.strength
    // The window stands where the sun does: light from two sides would leave no form.
    this.scene.environmentRotation.set(0, a + 0.6 + Math.PI, 0)
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

  /** Show all of the object, or one part, from the side it is seen from now. */
  frame(part = -1) {
    if (this.bounds.isEmpty()) return
    const bounds = this.meshes[part] ? new Box3().setFromObject(this.meshes[part].mesh) : this.bounds
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

  /** The middle of the object's box. */
  middle(): Vector3 {
    return this.bounds.getCenter(new Vector3())
  }

  /** While a brush is in hand the left button draws, the right one turns and the middle one pans. */
  handOver(drawing: boolean) {
    const { mouseButtons } = this.controls
    mouseButtons.LEFT = drawing ? null : MOUSE.ROTATE
    mouseButtons.MIDDLE = drawing ? MOUSE.PAN : MOUSE.DOLLY
    mouseButtons.RIGHT = drawing ? MOUSE.ROTATE : MOUSE.PAN
    this.controls.touches.ONE = drawing ? null : TOUCH.ROTATE
  }

  /** Map set and UV under a point of the view (CSS pixels), or nothing. */
  pick(x: number, y: number): Spot | undefined {
    if (!this.model) return
    const at = new Vector2((x / this.canvas.clientWidth) * 2 - 1, 1 - (y / this.canvas.clientHeight) * 2)
    this.ray.setFromCamera(at, this.camera)
    this.ray.firstHitOnly = true
    const hit = this.ray.intersectObject(this.model, true)[0]
    if (!hit) return
    const part = this.meshes.findIndex((m) => m.mesh === hit.object)
    const normal = (hit.normal ?? hit.face?.normal ?? new Vector3(0, 1, 0)).clone().normalize()
    return { page: this.meshes[part]?.page ?? 0, u: hit.uv?.x ?? 0, v: hit.uv?.y ?? 0, part, point: hit.point, normal }
  }

  /** The place of the surface that a point of a map set belongs to, or nothing. */
  locate(page: number, u: number, v: number): Spot | undefined {
    for (let part = 0; part < this.meshes.length; part++) {
      const entry = this.meshes[part]
      if (entry.page !== page) continue
      const geometry: BufferGeometry = entry.mesh.geometry
      const uv = geometry.getAttribute('uv')
      const index = geometry.getIndex()
      if (!uv || !index) continue
      for (let k = 0; k < index.count; k += 3) {
        const [a, b, c] = [index.getX(k), index.getX(k + 1), index.getX(k + 2)]
        const [d1x, d1y] = [uv.getX(b) - uv.getX(a), uv.getY(b) - uv.getY(a)]
        const [d2x, d2y] = [uv.getX(c) - uv.getX(a), uv.getY(c) - uv.getY(a)]
        const det = d1x * d2y - d2x * d1y
        if (Math.abs(det) < 1e-14) continue
        const [x, y] = [u - uv.getX(a), v - uv.getY(a)]
        const s = (x * d2y - d2x * y) / det
        const t = (d1x * y - x * d1y) / det
        if (s < 0 || t < 0 || s + t > 1) continue
        const position = geometry.getAttribute('position')
        const [p, q, r] = [a, b, c].map((i) => new Vector3().fromBufferAttribute(position, i))
        const normal = new Vector3().crossVectors(q.clone().sub(p), r.clone().sub(p))
        const perUv = Math.sqrt(normal.length() / Math.abs(det))
        normal.normalize()
        const point = p
          .multiplyScalar(1 - s - t)
          .addScaledVector(q, s)
          .addScaledVector(r, t)
        return { page, u, v, part, point, normal, perUv }
      }
    }
    return undefined
  }

  /** UV edges of a map set as pairs of points, for the UV view. */
  outlines(page: number): Float32Array {
    const out: number[] = []
    for (const entry of this.meshes) {
      if (entry.page !== page) continue
      const geometry: BufferGeometry = entry.mesh.geometry
      const uv = geometry.getAttribute('uv')
      if (!uv) continue
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
    return entry && (this.flat ? entry.look.texture : entry.lit.picture)
  }
}
