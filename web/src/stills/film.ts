import {
  BufferTarget,
  CanvasSource,
  getFirstEncodableVideoCodec,
  Mp4OutputFormat,
  Output,
  WebMOutputFormat,
} from 'mediabunny'
import { RATE } from './rate'

/**
 * A film of frames that are drawn one after the other on `paper`: MP4 where this browser encodes for it, else WebM.
 * `draw` is given the number of each frame; it stops where `wanted` says no. Nothing where it was stopped.
 */
export async function filmOf(
  paper: HTMLCanvasElement,
  frames: number,
  draw: (frame: number) => Promise<void> | void,
  progress: (share: number) => void,
  wanted: () => boolean,
): Promise<Blob | undefined> {
  if (!('VideoEncoder' in globalThis))
    throw new Error('This browser encodes no films. Use a current one, or take single stills.')
  const size = { width: paper.width, height: paper.height }
  const mp4 = await getFirstEncodableVideoCodec(['avc', 'hevc'], size)
  const webm = mp4 ? null : await getFirstEncodableVideoCodec(['vp9', 'vp8', 'av1'], size)
  const codec = mp4 ?? webm
  if (!codec) throw new Error('This browser encodes no films of this size. Choose a smaller one.')
  const output = new Output({
    format: mp4 ? new Mp4OutputFormat() : new WebMOutputFormat(),
    target: new BufferTarget(),
  })
  const source = new CanvasSource(paper, { codec, bitrate: size.width * size.height * 6 })
  output.addVideoTrack(source, { frameRate: RATE })
  await output.start()
  for (let frame = 0; frame < frames; frame++) {
    if (!wanted()) {
      await output.cancel()
      return undefined
    }
    await draw(frame)
    await source.add(frame / RATE, 1 / RATE)
    progress((frame + 1) / frames)
    // The page stays alive.
    await new Promise((go) => setTimeout(go))
  }
  await output.finalize()
  return new Blob([output.target.buffer!], { type: mp4 ? 'video/mp4' : 'video/webm' })
}
