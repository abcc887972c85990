import { useLocalStorage } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, watch, type ShallowRef } from 'vue'
import { during, Plan } from '../rest'
import { useMoments } from '../stores/moments'
import { useWork } from '../stores/work'
import { PLAIN } from './machine'
import type { SurfaceScene } from './surfaceScene'
import type { Tile } from '../api/scene'
import { ACROSS } from './nearAtlas'

/** Looks that hang on where the camera stands, or are as fine as they can be. */
const AT_LARGE = ['facing', 'uv']
/** Tiles that come with the first answer, and with each after it. */
const FIRST = 1
const EACH = 6

/**
 * Asks for what the view sees at the density of its pixels, once it stands still: the middle of the view first. Whatever
 * else the page asks for goes before it; what belongs to another surface is never shown.
 */
export function useCloseUp(surface: ShallowRef<SurfaceScene | undefined>) {
  const work = useWork()
  const moments = useMoments()
  /** `limus.close`: '' as suits the machine, 'on' or 'off'. */
  const chosen = useLocalStorage('limus.close', '')
  const on = computed({
    get: () => chosen.value === 'on' || (chosen.value !== 'off' && !PLAIN),
    set: (value: boolean) => (chosen.value = value ? 'on' : 'off'),
  })
  /** mm a texel of the nearest tiles that are shown; 0 where none are. */
  const texel = ref(0)
  const coming = ref(false)
  const still = new Plan('the close view')
  let turn = 0
  /** How often the same tiles were refused, one time after the other. */
  let refused = 0

  const able = computed(
    () => on.value && work.bench === 'weather' && !AT_LARGE.includes(work.look.kind) && !work.peeking && !moments.other,
  )
  /** The surface is another one: what was near belongs to the old one. */
  function anew() {
    turn++
    refused = 0
    surface.value?.clearNear()
    texel.value = 0
    coming.value = false
    if (able.value) still.after(700, look)
    else surface.value?.goFar()
  }
  /** The camera moved. */
  function moved() {
    turn++
    refused = 0
    coming.value = false
    if (able.value) still.after(350, look)
  }
  watch(() => work.evaluation, anew)
  watch(able, (is) => (is ? moved() : anew()))
  onBeforeUnmount(() => {
    turn++
    still.off()
  })

  function look() {
    const found = work.evaluation
    if (!able.value || !(found?.maps || found?.look)) return
    // Whatever is under way may leave the surface as it is.
    if (work.busy) {
      still.after(200, look)
      return
    }
    const fits = PLAIN ? 9 : ACROSS * ACROSS
    const seen = surface.value?.seenTiles(found.resolution, found.densest, fits)
    if (!seen) {
      if (texel.value) texel.value = 0
      surface.value?.goFar()
      return
    }
    const missing = surface.value!.nearSeen(seen.tiles)
    void during('the close mesh', surface.value!.comeNear((found.texel_mm * found.resolution) / seen.density / 1000))
    if (missing.length) void during('the close view', bring(missing, ++turn))
    else texel.value = (found.texel_mm * found.resolution) / seen.density
  }

  async function bring(tiles: Tile[], mine: number) {
    coming.value = true
    const wanted = () => mine === turn && able.value
    try {
      for (let k = 0; k < tiles.length && wanted();) {
        const some = tiles.slice(k, k + (k ? EACH : FIRST))
        k += some.length
        const answer = await work.closeUp(some, surface.value!.nearPictures(), wanted)
        if (!wanted()) return
        if (!answer) throw new Error('No tiles came.')
        refused = 0
        for (const [tile, pictures] of answer.tiles) surface.value?.putNear(tile, pictures)
        texel.value = answer.texel_mm
      }
    } catch {
      // The maps that are there stay: a close view that does not come is no fault of what is seen. It is asked for again
      // a few times, as the server may have been about to let go of the version, or to measure.
      if (wanted() && ++refused <= 3) still.after(400 * refused, look)
    } finally {
      if (mine === turn) coming.value = false
    }
  }

  return { on, texel, coming, moved }
}
