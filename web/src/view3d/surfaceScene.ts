import {
  Box3,
  Box3Helper,
  Group,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  NeutralToneMapping,
  PCFShadowMap,
  PerspectiveCamera,
  Scene,
  ShadowMaterial,
  SphereGeometry,
  Vector2,
  Vector3,
  WebGLRenderer,
  type Material,
  type Texture,
} from 'three'
import { OrbitControls } from 'three/addons/controls/OrbitControls.js'
import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js'
import { acceleratedRaycast, MeshBVH } from 'three-mesh-bvh'
import { mapBytes } from '../api/pictures'
import type { Evaluation, Maps, Tile } from '../api/scene'
import { begun } from '../rest'
import { Around } from './around'
import { BrushCursor } from './brushCursor'
import { Comparing, type Comparison } from './comparing'
import { compassLines, type CompassMarks } from './compass'
import { layGround } from './ground'
import { Lens } from './lens'
import type { Packing } from './packing'
import { PaintPreview, type PreviewDab } from './paintPreview'
import { mark, type Marks } from './stillMarks'
import { picturesOf } from './mapBytes'
import { SETUPS, type Setup } from './lights'
import { locate, outlines, spotAt, type Spot } from './picking'
import { drawnByProcessor, PLAIN } from './machine'
import { Plate } from './plate'
import { MovedMeshes } from './movedMeshes'
import { ReliefPlate } from './relief'
import { SceneLight, type Light } from './sceneLight'
import { SecondSurface } from './secondSurface'
import { SmallPicture } from './smallPicture'
import { SurfaceMaterial } from './surfaceMaterial'
import { unseen } from './unseen'
import { fileInView, letGo } from './fileInView'
import { NearMaps } from './nearMaps'
import { readNear } from './nearShader'
import { SeenTiles, type Seen } from './seenTiles'

/** Triangles of the whole object that relief is shown with. */
const [COARSE, FINE] = [30_000, 260_000]

/** The 3D view without its interface: draws only when something changed. */
export class SurfaceScene {
  readonly camera = new PerspectiveCamera(30, 1, 0.01, 100)
  readonly controls: OrbitControls
  private readonly lens: Lens
  /** Called after each frame. */
  onFrame: () => void = () => {}
  frames = 0
  private readonly renderer: WebGLRenderer
  private readonly scene = new Scene()
  private readonly light: SceneLight
  private readonly ground = new Group()
  private readonly shadow = new ShadowMaterial({ opacity: 0.26 })
  private model?: Group
  private meshes: { mesh: Mesh; page: number }[] = []
  private readonly extras = new Group()
  private readonly around = new Around()
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
  private moved?: MovedMeshes
  private moving = false
  private readonly nearMaps: NearMaps
  private flat = false
  private wanted = 0
  private asked = false
  private over = false
  /**
   * Off where nobody looks: set `limus.view` to `off` in the browser's local storage. All but the drawing goes on as
   * usual.
   */
  private readonly drawn = localStorage.getItem('limus.view') !== 'off'
  private bounds = new Box3()
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
    this.renderer.shadowMap.enabled = true
    this.renderer.shadowMap.type = PCFShadowMap
    this.renderer.shadowMap.autoUpdate = false
    this.nearMaps = new NearMaps(this.renderer)
    this.light = new SceneLight(this.renderer, this.scene, this.drawn)
    this.lightBy(SETUPS[0])
    this.scene.add(this.ground, this.extras, this.around.group)
    this.dot.visible = false
    this.dot.renderOrder = 9
    this.extras.add(this.dot, this.cursor.group)
    this.paint = new PaintPreview(this.renderer, PLAIN ? 256 : 1024)
    this.controls = new OrbitControls(this.camera, canvas)
    this.lens = new Lens(this.camera, this.controls, canvas)
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
    this.comparing.dispose()
    this.seen_?.dispose()
    this.light.dispose()
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
      if (this.drawn) this.render()
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
    this.moved?.dispose()
    this.moved = undefined
    this.nearMaps.dispose()
    this.second?.dispose()
    this.second = undefined
    this.comparing.end()
    void this.showFile()
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
      readNear(page.lit, () => this.nearMaps.lit, k)
      readNear(page.flat, () => this.nearMaps.look, k, { map: 'look' })
    })
    this.bounds = new Box3().setFromObject(scene)
    layGround(this.ground, this.bounds, this.meshes, this.shadow)
    this.aim(this.light.light)
    // A newer version of the same object is looked at from where the old one was.
    const moved =
      before.isEmpty() ||
      before.getSize(new Vector3()).distanceTo(this.bounds.getSize(new Vector3())) > 0.02 * this.reach()
    if (moved) this.frame()
    else this.draw()
  }
  private loading = 0

  private seen_?: SeenTiles
  /** Which tiles the view shows, where the maps (`now` pixels along a side) are too coarse for it. */
  seenTiles(now: number, most: number, count: number): Seen | undefined {
    if (!this.drawn || !this.pages.length || this.comparing.on || this.file) return undefined
    this.seen_ ??= new SeenTiles(this.renderer)
    const shown = (this.moving && this.moved?.shown) || this.meshes
    const width = this.renderer.getDrawingBufferSize(new Vector2()).x
    return this.seen_.look(this.scene, this.camera, shown, width, now, most, count)
  }
  /** The pictures that tiles are wanted of: the usual three, and more where the graphics card has room. */
  nearPictures(): string[] {
    return this.flat ? ['look'] : (this.pages[0]?.lit.nearPictures() ?? [])
  }
  /** Those of the tiles that are not there yet; the others are kept. */
  nearSeen(tiles: Tile[]): Tile[] {
    return this.nearMaps.missing(tiles, this.flat)
  }
  putNear(tile: Tile, pictures: Map<string, Uint8Array>) {
    const { nearMaps, flat, pages } = this
    if (nearMaps.put(tile, pictures, flat, this.nearPictures(), pages.length, this.packing().colours)) {
      for (const page of pages) (flat ? page.flat : page.lit).needsUpdate = true
      this.moved?.anew()
    }
    this.canvas.dataset.near = String(nearMaps.count(flat))
    this.draw()
  }
  /** What follows the relief does so as finely as the tiles of it that are seen: texels of so many metres. */
  async comeNear(texel: number) {
    const tall = this.renderer.getDrawingBufferSize(new Vector2()).y
    const other = this.moving && (await this.moved?.comeNear(this.camera, tall, 1.5 * texel))
    if (other && !this.over) this.use(this.flat)
  }
  /** Nothing finer than the maps is wanted where the camera stands. */
  goFar() {
    if (this.moved?.goFar()) this.use(this.flat)
  }
  clearNear() {
    if (!this.nearMaps.clear()) return
    this.canvas.dataset.near = '0'
    this.draw()
  }
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

  showMarkers(on: boolean) {
    this.around.showMarkers(on)
    this.draw()
  }
  async setNeighbours(others: { url: string; marker: boolean }[]) {
    if (!(await this.around.set(others))) return
    this.renderer.shadowMap.needsUpdate = true
    this.draw()
  }

  /** North and wind on the ground around the object. */
  setCompass(marks?: CompassMarks) {
    if (this.compass) {
      this.extras.remove(this.compass)
      this.compass.geometry.dispose()
      this.compass = undefined
    }
    if (marks && !this.bounds.isEmpty()) {
      this.compass = compassLines(marks, this.bounds)
      this.extras.add(this.compass)
    }
    this.draw()
  }

  /** Put new maps on; resolves when they are in place, or at once when newer ones were asked for meanwhile.
   *  Names of pictures that the graphics card has no room for come back. */
  async setMaps(maps: Maps): Promise<string[]> {
    const mine = ++this.wanted
    const pictures = await picturesOf(maps, this.pages.length)
    if (mine !== this.wanted) return []
    let left: string[] = []
    this.pages.forEach((page, k) => {
      left = page.lit.put(pictures[k], maps)
    })
    const moved = maps.relief?.length ? await Promise.all(maps.relief.map(mapBytes)) : []
    if (mine !== this.wanted) return []
    this.moving = moved.length > 0
    const other = moved.map((bytes, k) => this.pages[k]?.relief.put(maps.relief![k], bytes))
    this.moved?.hold(other)
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

  /** Finer meshes for all parts. */
  private makeFine() {
    const plates = this.pages.map(({ relief }) => relief)
    const coarse = PLAIN || !this.drawn || drawnByProcessor(this.renderer.getContext())
    this.moved = new MovedMeshes(this.meshes, plates, coarse ? COARSE : FINE, (depth, k) =>
      readNear(depth, () => this.nearMaps.lit, k),
    )
  }

  private use(flat: boolean) {
    this.flat = flat
    this.dress()
    this.draw()
  }
  /** Everything wears what it is to be seen with. */
  private dress() {
    const flat = this.flat
    const moved = this.moving && !flat
    if (moved) this.renderer.shadowMap.needsUpdate = true
    if (moved && !this.moved && this.meshes.length) this.makeFine()
    this.pages.forEach((page) => page.lit.move(moved ? page.relief : undefined))
    this.moved?.wear(moved ? this.pages.map(({ lit }) => lit) : undefined)
    for (const { mesh, page } of this.meshes)
      mesh.material = moved ? this.unseen : flat ? this.pages[page].flat : this.pages[page].lit
    if (moved !== this.wasMoved) this.renderer.shadowMap.needsUpdate = true
    this.wasMoved = moved
    this.ground.visible = !flat
  }

  private wasMoved = false
  /** For meshes that are only there to be clicked on. */
  private readonly unseen = new MeshBasicMaterial({ visible: false })

  /** What is seen now in every light, as small pictures (data addresses) by set-up; what is on the screen stays. */
  picturesInAllLights(width: number, height: number): Record<string, string> {
    const out: Record<string, string> = {}
    if (!this.drawn) return out
    const { setup: before, light } = this.light
    const small = new SmallPicture(this.renderer, width, height)
    for (const one of SETUPS) {
      this.lightBy(one)
      this.aim({ azimuth: one.azimuth, elevation: one.elevation, strength: light.strength })
      out[one.id] = small.take(this.scene, this.camera)
    }
    small.done()
    this.lightBy(before)
    this.aim(light)
    // In the same turn, so that nobody sees another light on the large view.
    this.render()
    return out
  }

  /**
   * The view at any size, on paper of its own: with nothing behind it (`clear`) or on its neutral surround; `turn`
   * degrees further about up. What is on the screen stays.
   */
  still(width: number, clear: boolean, marks: Omit<Marks, 'perPixel'>, turn = 0): HTMLCanvasElement | undefined {
    if (!this.drawn || !this.pages.length) return undefined
    const size = this.renderer.getSize(new Vector2())
    const ratio = this.renderer.getPixelRatio()
    const height = Math.round((width * size.y) / size.x)
    const stand = this.stand()
    const paper = document.createElement('canvas')
    paper.width = width
    paper.height = height
    const pen = paper.getContext('2d')!
    this.renderer.setPixelRatio(1)
    this.renderer.setSize(width, height, false)
    if (turn) this.turnAbout(turn)
    // Cursor, compass and frames are no part of it.
    this.extras.visible = false
    this.renderer.render(this.scene, this.camera)
    if (!clear) {
      pen.fillStyle = '#868686'
      pen.fillRect(0, 0, width, height)
    }
    pen.drawImage(this.canvas, 0, 0)
    mark(pen, { ...marks, perPixel: (this.millimetresPerPixel() * size.x) / width })
    this.extras.visible = true
    if (turn) this.standAt(stand)
    this.renderer.setPixelRatio(ratio)
    this.renderer.setSize(size.x, size.y, false)
    this.render()
    return paper
  }
  /** The camera goes round the object's own axis. */
  private turnAbout(degrees: number) {
    const middle = this.middle()
    const up = new Vector3(0, 1, 0)
    const by = (degrees * Math.PI) / 180
    for (const place of [this.camera.position, this.controls.target])
      place.sub(middle).applyAxisAngle(up, by).add(middle)
    this.controls.update()
    this.camera.updateMatrixWorld()
  }

  private file?: Group
  private opening = 0
  /** Show a delivered file instead of the surface; nothing: the surface again. */
  async showFile(url?: string) {
    const mine = ++this.opening
    const found =
      url && this.drawn ? await fileInView(url, this.bounds, this.packing().full('emission_luminance')) : undefined
    if (mine !== this.opening || this.over) {
      if (found) letGo(found)
      return
    }
    if (this.file) letGo(this.file)
    this.file = found
    if (found) this.scene.add(found)
    if (this.model) this.model.visible = !found
    this.renderer.shadowMap.needsUpdate = true
    this.draw()
  }

  /** The surface of another answer, seen from where the camera stands now, as a small picture (a data address). */
  async pictureOf(found: Pick<Evaluation, 'maps' | 'look'>, width: number, height: number): Promise<string> {
    if (!this.drawn || !this.pages.length) return ''
    this.second ??= new SecondSurface(this.renderer, this.packing(), this.pages.length)
    await this.second.put(found)
    if (this.over) return ''
    const small = new SmallPicture(this.renderer, width, height)
    this.wear(this.second.materials, !!found.look)
    const picture = small.take(this.scene, this.camera)
    small.done()
    this.dress()
    this.render()
    return picture
  }
  private second?: SecondSurface
  private readonly comparing = new Comparing()

  /** Another answer beside what is shown; nothing: only what is shown. */
  async compareWith(found?: Pick<Evaluation, 'maps' | 'look'>) {
    if (found && this.drawn && this.pages.length)
      await this.comparing.begin(found, new SecondSurface(this.renderer, this.packing(), this.pages.length))
    else this.comparing.end()
    this.draw()
  }
  /** How the two are shown; see `Comparing`. */
  compareBy(way: Comparison, at: number, times: number) {
    this.comparing.set(way, at, times)
    if (this.comparing.on) this.draw()
  }
  private render() {
    const draw = () => this.renderer.render(this.scene, this.camera)
    if (this.comparing.on) {
      const wear = (other: SecondSurface, flat: boolean) => this.wear(other.materials, flat)
      this.comparing.render(this.renderer, this.camera, draw, wear, () => this.dress())
      return
    }
    this.paint.showing(this.camera)
    draw()
    this.paint.showing()
  }
  /** Other materials on every mesh, until `use` is called. */
  private wear(materials: Material[], flat: boolean) {
    this.moved?.wear()
    for (const { mesh, page } of this.meshes) mesh.material = materials[page]
    this.ground.visible = !flat
  }

  /** Light by another set-up. */
  lightBy(setup: Setup) {
    this.light.by(setup, this.bounds)
    this.draw()
  }
  /** Turn the light. */
  aim(light: Light) {
    this.light.aim(light, this.bounds)
    this.draw()
  }

  /** Show all of the object, or one part, from the side it is seen from now. */
  frame(part = -1) {
    if (this.bounds.isEmpty()) return
    const box = this.meshes[part] ? new Box3().setFromObject(this.meshes[part].mesh) : this.bounds
    this.lens.frame(box, this.reach())
    this.draw()
  }
  /** A long lens far away shows lengths as they are. */
  straighten(on: boolean) {
    this.lens.straighten(on, this.reach())
    this.draw()
  }
  /** Where the camera stands, what it looks at (m), and its field in degrees. */
  stand() {
    return {
      position: this.camera.position.toArray() as [number, number, number],
      target: this.controls.target.toArray() as [number, number, number],
      field_deg: this.camera.fov,
    }
  }
  standAt({ position, target, field_deg }: ReturnType<SurfaceScene['stand']>) {
    this.camera.fov = field_deg
    this.camera.position.set(...position)
    this.controls.target.set(...target)
    this.camera.updateProjectionMatrix()
    this.controls.update()
    this.draw()
  }
  /** Paint at once where the brush is; see `PaintPreview`. */
  layPaint = (dabs: PreviewDab[]) => this.paint.lay(dabs, this.camera)
  millimetresPerPixel = () => this.lens.millimetresPerPixel()
  millimetresPerPixelAt = (point: Vector3) => this.lens.millimetresPerPixelAt(point)
  project = (point: Vector3) => this.lens.project(point)
  sight = () => this.lens.sight()
  handOver = (drawing: boolean) => this.lens.handOver(drawing)

  /** The middle of the object's box. */
  middle(): Vector3 {
    return this.bounds.getCenter(new Vector3())
  }

  /** Map set and UV under a point of the view (CSS pixels), or nothing. */
  pick(x: number, y: number): Spot | undefined {
    return this.model && spotAt(x, y, this.canvas, this.camera, this.model, this.meshes)
  }
  locate = (page: number, u: number, v: number) => locate(this.meshes, page, u, v)
  outlines = (page: number) => outlines(this.meshes, page)

  /** The texture now on a map set, for the UV view. */
  shown(page: number): Texture | undefined {
    const entry = this.pages[page]
    return entry && (this.flat ? entry.look.texture : entry.lit.picture)
  }
}
