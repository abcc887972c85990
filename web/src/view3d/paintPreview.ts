import {
  Color,
  CustomBlending,
  LessEqualDepth,
  Mesh,
  OneFactor,
  OneMinusSrcAlphaFactor,
  OrthographicCamera,
  Scene,
  ShaderMaterial,
  Vector2,
  Vector3,
  Vector4,
  WebGLRenderTarget,
  type BufferGeometry,
  type Material,
  type PerspectiveCamera,
  type WebGLRenderer,
  type WebGLProgramParametersWithUniforms,
  DoubleSide,
} from 'three'

/** One dab as it is shown at once, before the true result comes. */
export interface PreviewDab {
  point: Vector3
  normal: Vector3
  /** Half of the size, metres. */
  radius: number
  hardness: number
  flow: number
}

const MOST = 16
/** Where a vertex is drawn; its place and the way out of the surface go along. */
const placedBy = (where: string) => `
  invariant gl_Position;
  varying vec3 vPlace; varying vec3 vWay;
  void main() {
    vPlace = (modelMatrix * vec4(position, 1.0)).xyz;
    vWay = normalize(mat3(modelMatrix) * normal);
    gl_Position = ${where};
  }`
const ON_SCREEN = placedBy('projectionMatrix * viewMatrix * modelMatrix * vec4(position, 1.0)')
const EMPTY = new Color(0, 0, 0)

/**
 * Paint that appears under the cursor at once: dabs are drawn into a picture over the UVs of each map set and laid as a
 * tint over what is shown. As long as the camera stands still they are drawn over the pixels of the view too, and that
 * is shown: near by a texel of the other is as wide as the brush. It only stands in until the core has made the true
 * mask.
 */
export class PaintPreview {
  /** What materials read; filled in by `apply`. */
  readonly tint = { value: new Vector4(0.4, 0.76, 0.7, 0) }
  private targets: WebGLRenderTarget[] = []
  private scenes: Scene[] = []
  private readonly camera = new OrthographicCamera(-1, 1, 1, -1, 0, 1)
  private readonly places = Array.from({ length: MOST }, () => new Vector4())
  private readonly ways = Array.from({ length: MOST }, () => new Vector4())
  private readonly flows = new Array<number>(MOST).fill(0)
  private readonly material = new ShaderMaterial({
    uniforms: {
      places: { value: this.places },
      ways: { value: this.ways },
      flows: { value: this.flows },
      count: { value: 0 },
    },
    vertexShader: placedBy('vec4(uv * 2.0 - 1.0, 0.0, 1.0)'),
    fragmentShader: `
      uniform vec4 places[${MOST}]; uniform vec4 ways[${MOST}]; uniform float flows[${MOST}]; uniform int count;
      varying vec3 vPlace; varying vec3 vWay;
      void main() {
        float open = 1.0;
        for (int k = 0; k < ${MOST}; k++) {
          if (k >= count) break;
          if (dot(vWay, ways[k].xyz) < -0.2) continue;
          float r = distance(vPlace, places[k].xyz) / places[k].w;
          open *= 1.0 - flows[k] * (1.0 - smoothstep(min(ways[k].w, 0.98), 1.0, r));
        }
        gl_FragColor = vec4(1.0 - open);
      }`,
    side: DoubleSide,
    depthTest: false,
    depthWrite: false,
    blending: CustomBlending,
    blendSrc: OneFactor,
    blendDst: OneMinusSrcAlphaFactor,
  })

  /** The same over the pixels of the view: the nearest surface first, and paint on that alone. */
  private readonly nearest = new ShaderMaterial({
    vertexShader: ON_SCREEN,
    fragmentShader: 'void main() {}',
    side: DoubleSide,
    colorWrite: false,
  })
  private readonly onScreen = this.material.clone()
  private readonly all = new Scene()
  private screen?: WebGLRenderTarget
  /** From where the dabs that are shown were all seen; nothing: not all from one place. */
  private from = ''
  /** 1 over the width and height of the view, and whether its picture is read. */
  private readonly seen = { value: new Vector3() }

  constructor(
    private readonly renderer: WebGLRenderer,
    private readonly size: number,
  ) {
    this.onScreen.vertexShader = ON_SCREEN
    this.onScreen.uniforms = this.material.uniforms
    this.onScreen.depthTest = true
    this.onScreen.depthWrite = false
    this.onScreen.depthFunc = LessEqualDepth
  }

  /** Take over the meshes of an object, by map set. */
  take(pages: number, meshes: { mesh: Mesh; page: number }[]) {
    this.dispose()
    for (let k = 0; k < pages; k++) {
      this.targets.push(new WebGLRenderTarget(this.size, this.size, { depthBuffer: false }))
      this.scenes.push(new Scene())
    }
    for (const { mesh, page } of meshes) {
      const twin = new Mesh(mesh.geometry as BufferGeometry, this.material)
      twin.frustumCulled = false
      twin.matrixAutoUpdate = false
      mesh.updateWorldMatrix(true, false)
      twin.matrix.copy(mesh.matrixWorld)
      this.scenes[page]?.add(twin)
      const again = twin.clone()
      again.matrix.copy(twin.matrix)
      this.all.add(again)
    }
    this.clear()
  }

  /** Make a material show the paint of a map set. */
  apply(material: Material, page: number) {
    const { onBeforeCompile, customProgramCacheKey } = material
    material.onBeforeCompile = (shader: WebGLProgramParametersWithUniforms, renderer) => {
      onBeforeCompile.call(material, shader, renderer)
      const picture = () => (this.seen.value.z ? this.screen : this.targets[page])?.texture ?? null
      // One or the other: a card takes no more than sixteen pictures.
      Object.defineProperty(shader.uniforms, 'paintMap', {
        enumerable: true,
        value: {
          get value() {
            return picture()
          },
        },
      })
      shader.uniforms.paintTint = this.tint
      shader.uniforms.paintSeen = this.seen
      shader.fragmentShader = shader.fragmentShader
        .replace(
          'void main() {',
          'uniform sampler2D paintMap; uniform vec4 paintTint; uniform vec3 paintSeen;\nvoid main() {',
        )
        .replace(
          '#include <dithering_fragment>',
          `#include <dithering_fragment>
          if (paintTint.a > 0.0) {
            vec2 at = paintSeen.z > 0.5 ? gl_FragCoord.xy * paintSeen.xy : vMapUv;
            float laid = texture2D(paintMap, at).r;
            gl_FragColor.rgb = mix(gl_FragColor.rgb, paintTint.rgb, paintTint.a * laid);
          }`,
        )
    }
    material.customProgramCacheKey = () => `painted ${customProgramCacheKey.call(material)}`
  }

  /** Lay dabs, seen by a camera; they build up. */
  lay(dabs: PreviewDab[], camera: PerspectiveCamera) {
    const from = placeOf(camera)
    if (this.tint.value.w === 0) this.begin(from, camera)
    else if (from !== this.from) this.from = ''
    for (let first = 0; first < dabs.length; first += MOST) {
      const some = dabs.slice(first, first + MOST)
      some.forEach((dab, k) => {
        this.places[k].set(dab.point.x, dab.point.y, dab.point.z, dab.radius)
        this.ways[k].set(dab.normal.x, dab.normal.y, dab.normal.z, dab.hardness)
        this.flows[k] = dab.flow
      })
      this.material.uniforms.count.value = some.length
      this.each((target, scene) => {
        this.renderer.setRenderTarget(target)
        this.renderer.render(scene, this.camera)
      })
      if (this.from) this.onView(this.onScreen, camera)
    }
    this.tint.value.w = 0.75
  }

  /** Take the paint off again: the true result is there. */
  clear() {
    this.tint.value.w = 0
    this.each((target) => {
      this.renderer.setRenderTarget(target)
      this.renderer.clear()
    })
  }

  /** The view is drawn by this camera next; nothing: something else is. */
  showing(camera?: PerspectiveCamera) {
    const on = !!camera && this.from !== '' && this.tint.value.w > 0 && placeOf(camera) === this.from
    const { width = 1, height = 1 } = this.screen ?? {}
    this.seen.value.set(1 / width, 1 / height, on ? 1 : 0)
  }

  private begin(from: string, camera: PerspectiveCamera) {
    this.from = from
    const { x, y } = this.renderer.getDrawingBufferSize(new Vector2())
    this.screen ??= new WebGLRenderTarget(x, y)
    this.screen.setSize(x, y)
    this.quietly(() => {
      this.renderer.setRenderTarget(this.screen!)
      this.renderer.clear()
    })
    this.onView(this.nearest, camera)
  }
  private onView(material: ShaderMaterial, camera: PerspectiveCamera) {
    this.all.overrideMaterial = material
    this.quietly(() => {
      this.renderer.setRenderTarget(this.screen!)
      this.renderer.render(this.all, camera)
    })
  }

  colour(adds: boolean) {
    const { w } = this.tint.value
    if (adds) this.tint.value.set(0.4, 0.76, 0.7, w)
    else this.tint.value.set(0.12, 0.13, 0.13, w)
  }

  private each(work: (target: WebGLRenderTarget, scene: Scene) => void) {
    this.quietly(() => this.targets.forEach((target, k) => work(target, this.scenes[k])))
  }
  /** Nothing of the renderer is another one afterwards. */
  private quietly(work: () => void) {
    const { autoClear } = this.renderer
    const shadows = this.renderer.shadowMap.enabled
    const before = this.renderer.getClearColor(new Color())
    const alpha = this.renderer.getClearAlpha()
    this.renderer.autoClear = false
    this.renderer.shadowMap.enabled = false
    this.renderer.setClearColor(EMPTY, 0)
    work()
    this.renderer.setRenderTarget(null)
    this.renderer.setClearColor(before, alpha)
    this.renderer.autoClear = autoClear
    this.renderer.shadowMap.enabled = shadows
  }

  dispose() {
    this.targets.forEach((target) => target.dispose())
    this.targets = []
    this.scenes = []
    this.all.clear()
    this.screen?.dispose()
    this.screen = undefined
    this.from = ''
  }
}

/** Where a camera stands and how it sees, to be told from another. */
function placeOf(camera: PerspectiveCamera): string {
  camera.updateMatrixWorld()
  return [...camera.matrixWorld.elements, ...camera.projectionMatrix.elements].join()
}
