import {
  DataTexture, LinearFilter, LinearMipmapLinearFilter, NoColorSpace, RGBAFormat, SRGBColorSpace, UnsignedByteType,
} from 'three' // prettier-ignore
import { PLAIN } from './machine'

/** A picture uploaded once and written over in place while its size stays. */
export class Plate {
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
