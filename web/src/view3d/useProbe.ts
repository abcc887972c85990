import { ref, shallowRef, type ShallowRef } from 'vue'
import { useWork } from '../stores/work'
import type { Spot } from './picking'
import { valueAt } from './probe'
import type { SurfaceScene } from './surfaceScene'

/** What stands under the cursor, in either view: the place, the value of what is looked through there, and the part. */
export function useProbe(surface: ShallowRef<SurfaceScene | undefined>) {
  const work = useWork()
  const spot = shallowRef<Spot>()
  const said = ref('')
  let asked = false

  /** Read the value under the cursor: once a frame at most. */
  function point(event: PointerEvent) {
    if (event.buttons || asked) return
    const [x, y] = [event.offsetX, event.offsetY]
    asked = true
    requestAnimationFrame(() => {
      asked = false
      void at(surface.value?.pick(x, y))
    })
  }
  async function at(found?: Spot) {
    spot.value = found
    const look = work.evaluation?.look
    const name = found ? work.parts[found.part] : undefined
    if (!found || !look) {
      said.value = name && !look ? name : ''
      return
    }
    const value = await valueAt(look, found.page, found.u, found.v)
    if (spot.value === found) said.value = [value, name].filter(Boolean).join(' · ')
  }
  function fromUv(place?: { page: number; u: number; v: number }) {
    const found = place && surface.value?.locate(place.page, place.u, place.v)
    surface.value?.mark(found?.point)
    void at(found)
  }
  return { spot, said, point, leave: () => void at(undefined), fromUv }
}
