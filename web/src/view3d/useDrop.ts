import { ref, type Ref, type ShallowRef } from 'vue'
import { sendPicture } from '../api/client'
import { recognisedFrom, usesOf } from '../api/mapFiles'
import type { Base } from '../api/scene'
import { useHand } from '../stores/hand'
import { useWork } from '../stores/work'
import type { SurfaceScene } from './surfaceScene'

async function pictureOf(project: number, file: File) {
  return { what: 'picture', file: (await sendPicture(project, file)).file }
}
/** Several files at once are the maps of one sign. */
async function signOf(project: number, files: File[]) {
  const out = await recognisedFrom(
    project,
    files,
    20,
    { sent: () => {}, looking: () => {} },
    new AbortController().signal,
  )
  if (!out?.found) throw new Error(out?.trouble ?? 'These files were not taken in.')
  const made = (out.found.base as unknown as Base).material
  return { what: 'maps', maps: { ...made, maps: usesOf(out.found) } }
}
/** A picture dropped on the surface becomes a decal there; several become one of several maps. */
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
    // A model is taken by the stage around the view.
    if (work.bench !== 'weather' || !file || !work.object || work.isModel(file.name)) return
    event.preventDefault()
    const area = canvas.value!.getBoundingClientRect()
    const found = surface.value?.pick(event.clientX - area.left, event.clientY - area.top)
    if (!found) {
      work.notice = 'Drop the picture on the object: it becomes a decal where it lands.'
      return
    }
    try {
      const several = [...(event.dataTransfer?.files ?? [])]
      const place = {
        ...(several.length > 1
          ? await signOf(work.object.project, several)
          : await pictureOf(work.object.project, file)),
        at: hand.toFile([found.point.x, found.point.y, found.point.z]),
        facing: hand.toFile([found.normal.x, found.normal.y, found.normal.z]),
        scale: work.object.scale,
      }
      const taken = work.catalogue?.effects.find((e) => e.takes_pictures)
      if (taken) void work.addLayer(taken.kind, place)
    } catch (error) {
      work.trouble = error instanceof Error ? error.message : 'The picture was not taken in.'
    }
  }
  return { dropping, dragOver, drop }
}
