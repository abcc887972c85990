import {
  Box3,
  Box3Helper,
  DirectionalLight,
  Group,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  MeshStandardMaterial,
  NeutralToneMapping,
  PCFShadowMap,
  PerspectiveCamera,
  PMREMGenerator,
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
import { begun, during } from '../rest'
import { BrushCursor } from './brushCursor'
import { compassLines, type CompassMarks } from './compass'
import { layGround } from './ground'
import { Lens } from './lens'
import type { Packing } from './packing'
import { PaintPreview, type PreviewDab } from './paintPreview'
import { mark, type Marks } from './stillMarks'
import { picturesOf } from './mapBytes'
import { markerLines } from './markers'
import { panorama, SETUPS, type Setup } from './lights'
import { locate, outlines, spotAt, type Spot } from './picking'
import { PLAIN, Plate } from './plate'
import { MovedMeshes } from './movedMeshes'
import { edgeFor, ReliefPlate } from './relief'
import { DifferencePass } from './differencePass'
import { SecondSurface } from './secondSurface'
import { SmallPicture } from './smallPicture'
import { SurfaceMaterial } from './surfaceMaterial'
import { unseen } from './unseen'
import { fileInView, letGo } from './fileInView'
import { NearAtlas } from './nearAtlas'
import { readNear } from './nearShader'
import { SeenTiles, type Seen } from './seenTiles'

export interface Light {
  /** Degrees about up, and above the horizon. */
  azimuth: number
  elevation: number
  strength: number
}

/** Ways to see two states of a surface at once. */
export type Comparison = 'wipe' | 'side' | 'difference'

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
  private moved?: MovedMeshes
  private moving = false
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
    this.lightBy(SETUPS[0])
    this.sun.castShadow = true
    this.sun.shadow.mapSize.setScalar(PLAIN ? 512 : 2048)
    this.sun.shadow.radius = 2
    this.scene.add(this.sun, this.sun.target, this.ground, this.extras, this.near)
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
    this.difference?.dispose()
    this.seen_?.dispose()
    for (const room of this.rooms.values()) room.dispose()
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
    this.nearLit?.dispose()
    this.nearLook?.dispose()
    this.nearLit = this.nearLook = undefined
    this.second?.dispose()
    this.second = undefined
    void this.compareWith()
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
      readNear(page.lit, () => this.nearLit, k)
      readNear(page.flat, () => this.nearLook, k, { map: 'look' })
    })
    this.bounds = new Box3().setFromObject(scene)
    layGround(this.ground, this.bounds, this.meshes, this.shadow)
    this.aim(this.light)
    // A newer version of the same object is looked at from where the old one was.
    const moved =
      before.isEmpty() ||
      before.getSize(new Vector3()).distanceTo(this.bounds.getSize(new Vector3())) > 0.02 * this.reach()
    if (moved) this.frame()
    else this.draw()
  }
  private loading = 0

  /** Finer tiles over the maps, once the view has come near; see `near/`. */
  private nearLit?: NearAtlas
  /** The same of what is looked through. */
  private nearLook?: NearAtlas
  private get atlas() {
    return this.flat ? this.nearLook : this.nearLit
  }
  private seen_?: SeenTiles
  /** Which tiles the view shows, where the maps (`now` pixels along a side) are too coarse for it. */
  seenTiles(now: number, most: number, count: number): Seen | undefined {
    if (!this.drawn || !this.pages.length || this.compared || this.file) return undefined
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
    this.atlas?.seen(tiles)
    return tiles.filter((tile) => !this.atlas?.has(tile))
  }
  putNear(tile: Tile, pictures: Map<string, Uint8Array>) {
    const names = this.nearPictures()
    let atlas = this.atlas
    if (!atlas || atlas.names.join() !== names.join()) {
      atlas?.dispose()
      atlas = new NearAtlas(this.renderer, this.pages.length, names, new Set([...this.packing().colours, 'look']))
      if (this.flat) this.nearLook = atlas
      else this.nearLit = atlas
      for (const page of this.pages) (this.flat ? page.flat : page.lit).needsUpdate = true
      this.moved?.anew()
    }
    atlas.put(tile, pictures)
    this.canvas.dataset.near = String(atlas.count)
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
    if (!this.nearLit?.count && !this.nearLook?.count) return
    this.nearLit?.clear()
    this.nearLook?.clear()
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

  private markersShown = true
  /** Outlines of markers would lie over what is judged by eye. */
  showMarkers(on: boolean) {
    this.markersShown = on
    for (const one of this.near.children) if (one instanceof LineSegments) one.visible = on
    this.draw()
  }

  /** Other objects that stand by, as they are placed. */
  async setNeighbours(others: { url: string; marker: boolean }[]) {
    const mine = ++this.nearing
    const loaded = await during('neighbours', Promise.all(others.map(({ url }) => new GLTFLoader().loadAsync(url))))
    if (mine !== this.nearing) return
    this.near.clear()
    for (const [k, { scene }] of loaded.entries()) {
      if (others[k].marker) {
        for (const lines of markerLines(scene)) {
          lines.visible = this.markersShown
          this.near.add(lines)
        }
        continue
      }
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

  /** Finer meshes for all parts, with edges that suit the area of the object. */
  private makeFine() {
    const size = this.bounds.getSize(new Vector3())
    const edge = edgeFor(Math.max(1e-9, 2 * (size.x * size.y + size.y * size.z + size.z * size.x)))
    const plates = this.pages.map(({ relief }) => relief)
    this.moved = new MovedMeshes(this.meshes, plates, edge, (depth, k) => readNear(depth, () => this.nearLit, k))
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

  private light: Light = { azimuth: -35, elevation: 48, strength: 1 }

  private setup: Setup = SETUPS[0]
  private readonly rooms = new Map<string, Texture>()
  /** Light by another set-up. White snow in full sun stays below white, or its relief would be lost. */
  lightBy(setup: Setup) {
    this.setup = setup
    this.renderer.toneMappingExposure = setup.exposure
    this.sun.color.setRGB(...setup.tint)
    if (this.drawn) {
      let room = this.rooms.get(setup.id)
      if (!room) {
        const prefilter = new PMREMGenerator(this.renderer)
        const source = setup.room?.() ?? (PLAIN ? panorama(setup.sky, 64, 32) : panorama(setup.sky))
        room = prefilter.fromEquirectangular(source).texture
        source.dispose()
        prefilter.dispose()
        this.rooms.set(setup.id, room)
      }
      this.scene.environment = room
    }
    this.aim(this.light)
  }
  /** What is seen now in every light, as small pictures (data addresses) by set-up; what is on the screen stays. */
  picturesInAllLights(width: number, height: number): Record<string, string> {
    const out: Record<string, string> = {}
    if (!this.drawn) return out
    const [before, light] = [this.setup, this.light]
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

  private compared?: { other: SecondSurface; flat: boolean }
  private readonly by = { way: 'wipe' as Comparison, at: 0.5, times: 4 }
  private difference?: DifferencePass
  /** Another answer beside what is shown; nothing: only what is shown. */
  async compareWith(found?: Pick<Evaluation, 'maps' | 'look'>) {
    const mine = ++this.comparing
    if (!found || !this.drawn || !this.pages.length) {
      this.compared?.other.dispose()
      this.compared = undefined
      this.draw()
      return
    }
    const other = new SecondSurface(this.renderer, this.packing(), this.pages.length)
    await other.put(found)
    if (mine !== this.comparing || this.over) {
      other.dispose()
      return
    }
    this.compared?.other.dispose()
    this.compared = { other, flat: !!found.look }
    this.draw()
  }
  private comparing = 0
  /** How the two are shown: `at` is where the line stands (0 to 1), `times` how much a difference is made stronger. */
  compareBy(way: Comparison, at: number, times: number) {
    Object.assign(this.by, { way, at, times })
    if (this.compared) this.draw()
  }
  private render() {
    const c = this.compared && { ...this.compared, ...this.by }
    if (!c) {
      this.paint.showing(this.camera)
      this.renderer.render(this.scene, this.camera)
      this.paint.showing()
      return
    }
    const size = this.renderer.getSize(new Vector2())
    const other = () => this.wear(c.other.materials, c.flat)
    const draw = () => this.renderer.render(this.scene, this.camera)
    if (c.way === 'difference') {
      this.difference ??= new DifferencePass()
      this.difference.draw(this.renderer, draw, [other, () => this.dress()], c.times)
      return
    }
    const line = Math.round(c.at * size.x)
    this.renderer.setScissorTest(true)
    if (c.way === 'side') this.camera.setViewOffset(size.x, size.y, size.x / 4, 0, size.x / 2, size.y)
    const half = (left: boolean) => {
      const [x, w] =
        c.way === 'side' ? [left ? 0 : size.x / 2, size.x / 2] : [left ? 0 : line, left ? line : size.x - line]
      if (w < 1) return
      if (c.way === 'side') this.renderer.setViewport(x, 0, w, size.y)
      this.renderer.setScissor(x, 0, w, size.y)
      draw()
    }
    other()
    half(true)
    this.dress()
    half(false)
    if (c.way === 'side') {
      this.camera.clearViewOffset()
      this.renderer.setViewport(0, 0, size.x, size.y)
    }
    this.renderer.setScissorTest(false)
    this.renderer.setScissor(0, 0, size.x, size.y)
  }
  /** Other materials on every mesh, until `use` is called. */
  private wear(materials: Material[], flat: boolean) {
    this.moved?.wear()
    for (const { mesh, page } of this.meshes) mesh.material = materials[page]
    this.ground.visible = !flat
  }

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
    this.sun.intensity = this.setup.key * light.strength
    this.scene.environmentIntensity = this.setup.around * light.strength
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
