import {
  HalfFloatType,
  Mesh,
  OrthographicCamera,
  PlaneGeometry,
  ShaderMaterial,
  Vector2,
  WebGLRenderTarget,
  type WebGLRenderer,
} from 'three'

/** What differs between two pictures of the view: black where nothing does, white where it does by one over `times`. */
export class DifferencePass {
  private readonly targets = [0, 1].map(() => new WebGLRenderTarget(1, 1, { type: HalfFloatType, samples: 2 }))
  private readonly camera = new OrthographicCamera(-1, 1, 1, -1, 0, 1)
  private readonly material = new ShaderMaterial({
    uniforms: { one: { value: null }, two: { value: null }, times: { value: 4 } },
    vertexShader: 'varying vec2 at; void main() { at = uv; gl_Position = vec4( position.xy, 0.0, 1.0 ); }',
    // Square roots are near enough to what an eye makes of light.
    fragmentShader: `uniform sampler2D one, two; uniform float times; varying vec2 at;
      void main() {
        vec4 a = texture2D( one, at ), b = texture2D( two, at );
        vec3 off = abs( sqrt( clamp( a.rgb, 0.0, 1.0 ) ) - sqrt( clamp( b.rgb, 0.0, 1.0 ) ) );
        gl_FragColor = vec4( vec3( max( off.r, max( off.g, off.b ) ) * times ), 1.0 );
      }`,
    depthTest: false,
    toneMapped: false,
  })
  private readonly plane = new Mesh(new PlaneGeometry(2, 2), this.material)

  /** `wear` puts on what each of the two pictures is of, and `draw` draws it. */
  draw(renderer: WebGLRenderer, draw: () => void, wear: (() => void)[], times: number) {
    const size = renderer.getDrawingBufferSize(new Vector2())
    this.targets.forEach((target, k) => {
      target.setSize(size.x, size.y)
      wear[k]()
      renderer.setRenderTarget(target)
      renderer.clear()
      draw()
    })
    renderer.setRenderTarget(null)
    this.material.uniforms.one.value = this.targets[0].texture
    this.material.uniforms.two.value = this.targets[1].texture
    this.material.uniforms.times.value = times
    renderer.render(this.plane, this.camera)
  }
  dispose() {
    for (const target of this.targets) target.dispose()
    this.material.dispose()
    this.plane.geometry.dispose()
  }
}
