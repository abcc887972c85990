import { ref, type Ref, type ShallowRef } from 'vue'
import { sendPicture } from '../api/client'
import { useHand } from '../stores/hand'
import { useWork } from '../stores/work'
import type { SurfaceScene } from './surfaceScene'

/** A picture dropped on the surface becomes a decal there. */
export function useDrop(
  surface: ShallowRef<SurfaceScene | undefined>,
  canvas: Readonly<Ref<HTMLCanvasElement | undefined>>,
) {
  const work = useWork()
  const hand = useHand()
  const dropping = ref(false)

  function dragOver(event: DragEvent) {
    if (work.bench !== 'weather' || !event.dataTransfer?.types.includes('Files')) return
    event.preventDefault()
    event.dataTransfer.dropEffect = 'copy'
    dropping.value = true
  }
  async function drop(event: DragEvent) {
    dropping.value = false
    const file = event.dataTransfer?.files[0]
    if (work.bench !== 'weather' || !file || !work.object) return
    event.preventDefault()
    const area = canvas.value!.getBoundingClientRect()
    const found = surface.value?.pick(event.clientX - area.left, event.clientY - area.top)
    if (!found) {
      work.notice = 'Drop the picture on the object: it becomes a decal where it lands.'
      return
    }
    try {
      const { file: name } = await sendPicture(work.object.project, file)
      const place = {
        what: 'picture',
        file: name,
        at: hand.toFile([found.point.x, found.point.y, found.point.z]),
        facing: hand.toFile([found.normal.x, found.normal.y, found.normal.z]),
        scale: work.object.scale,
      }
      void work.addLayer('decal', place)
    } catch (error) {
      work.trouble = error instanceof Error ? error.message : 'The picture was not taken in.'
    }
  }
  return { dropping, dragOver, drop }
}
