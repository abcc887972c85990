import {
  DirectionalLight,
  PMREMGenerator,
  Vector3,
  type Box3,
  type Scene,
  type Texture,
  type WebGLRenderer,
} from 'three'
import { panorama, SETUPS, type Setup } from './lights'
import { PLAIN } from './machine'

export interface Light {
  /** Degrees about up, and above the horizon. */
  azimuth: number
  elevation: number
  strength: number
}

/** The key light with its shadow, and the room around, by a set-up. */
export class SceneLight {
  setup: Setup = SETUPS[0]
  light: Light = { azimuth: -35, elevation: 48, strength: 1 }
  private readonly sun = new DirectionalLight(0xffffff, 2)
  private readonly rooms = new Map<string, Texture>()

  /** `drawn`: whether anybody looks; without, no room is made. */
  constructor(
    private readonly renderer: WebGLRenderer,
    private readonly scene: Scene,
    private readonly drawn: boolean,
  ) {
    this.sun.castShadow = true
    this.sun.shadow.mapSize.setScalar(PLAIN ? 512 : 2048)
    this.sun.shadow.radius = 2
    scene.add(this.sun, this.sun.target)
  }

  dispose() {
    for (const room of this.rooms.values()) room.dispose()
  }

  /** By another set-up. White snow in full sun stays below white, or its relief would be lost. */
  by(setup: Setup, bounds: Box3) {
    this.setup = setup
    this.renderer.toneMappingExposure = setup.exposure
    this.sun.color.setRGB(...setup.tint)
    if (this.drawn) this.scene.environment = this.room(setup)
    this.aim(this.light, bounds)
  }
  private room(setup: Setup): Texture {
    let room = this.rooms.get(setup.id)
    if (!room) {
      const prefilter = new PMREMGenerator(this.renderer)
      const source = setup.room?.() ?? (PLAIN ? panorama(setup.sky, 64, 32) : panorama(setup.sky))
      room = prefilter.fromEquirectangular(source).texture
      source.dispose()
      prefilter.dispose()
      this.rooms.set(setup.id, room)
    }
    return room
  }

  /** Turn it about what lies in `bounds`: the room turns with the sun. */
  aim(light: Light, bounds: Box3) {
    this.light = light
    const a = (light.azimuth * Math.PI) / 180
    const e = (light.elevation * Math.PI) / 180
    const centre = bounds.isEmpty() ? new Vector3() : bounds.getCenter(new Vector3())
    const reach = bounds.isEmpty() ? 1 : bounds.getSize(new Vector3()).length()
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
  }
}
