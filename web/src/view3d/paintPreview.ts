import {
  Color,
  CustomBlending,
  Mesh,
  OneFactor,
  OneMinusSrcAlphaFactor,
  OrthographicCamera,
  Scene,
  ShaderMaterial,
  Vector3,
  Vector4,
  WebGLRenderTarget,
  type BufferGeometry,
  type Material,
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
const EMPTY = new Color(0, 0, 0)

/**
 * Paint that appears under the cursor at once: dabs are drawn into a picture over the UVs of each map set and laid as a
 * tint over what is shown. It only stands in until the core has made the true mask.
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
    vertexShader: `
      varying vec3 vPlace; varying vec3 vWay;
      void main() {
        vPlace = (modelMatrix * vec4(position, 1.0)).xyz;
        vWay = normalize(mat3(modelMatrix) * normal);
        gl_Position = vec4(uv * 2.0 - 1.0, 0.0, 1.0);
      }`,
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

  constructor(
    private readonly renderer: WebGLRenderer,
    private readonly size: number,
  ) {}

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
    }
    this.clear()
  }

  /** Make a material show the paint of a map set. */
  apply(material: Material, page: number) {
    const { onBeforeCompile, customProgramCacheKey } = material
    material.onBeforeCompile = (shader: WebGLProgramParametersWithUniforms, renderer) => {
      onBeforeCompile.call(material, shader, renderer)
      shader.uniforms.paintMap = { value: this.targets[page]?.texture ?? null }
      shader.uniforms.paintTint = this.tint
      shader.fragmentShader = shader.fragmentShader
        .replace('void main() {', 'uniform sampler2D paintMap; uniform vec4 paintTint;\nvoid main() {')
        .replace(
          '#include <dithering_fragment>',
          `#include <dithering_fragment>
          if (paintTint.a > 0.0)
            gl_FragColor.rgb = mix(gl_FragColor.rgb, paintTint.rgb, paintTint.a * texture2D(paintMap, vMapUv).r);`,
        )
    }
    material.customProgramCacheKey = () => `painted ${customProgramCacheKey.call(material)}`
  }

  /** Lay dabs; they build up. */
  lay(dabs: PreviewDab[]) {
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

  colour(adds: boolean) {
    const { w } = this.tint.value
    if (adds) this.tint.value.set(0.4, 0.76, 0.7, w)
    else this.tint.value.set(0.12, 0.13, 0.13, w)
  }

  private each(work: (target: WebGLRenderTarget, scene: Scene) => void) {
    const { autoClear } = this.renderer
    const shadows = this.renderer.shadowMap.enabled
    const before = this.renderer.getClearColor(new Color())
    const alpha = this.renderer.getClearAlpha()
    this.renderer.autoClear = false
    this.renderer.shadowMap.enabled = false
    this.renderer.setClearColor(EMPTY, 0)
    this.targets.forEach((target, k) => work(target, this.scenes[k]))
    this.renderer.setRenderTarget(null)
    this.renderer.setClearColor(before, alpha)
    this.renderer.autoClear = autoClear
    this.renderer.shadowMap.enabled = shadows
  }

  dispose() {
    this.targets.forEach((target) => target.dispose())
    this.targets = []
    this.scenes = []
  }
}
