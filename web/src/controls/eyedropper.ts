import { defineStore } from 'pinia'
import { ref, shallowRef } from 'vue'
import { mapBytes } from '../api/pictures'
import { useHand } from '../stores/hand'
import { useWork } from '../stores/work'
import { fromHex } from './colour'

/** A colour that is to be taken off the view: who waits for it, and reading it where the object is clicked. */
export const useEyedropper = defineStore('eyedropper', () => {
  const work = useWork()
  const taker = shallowRef<(color: number[]) => void>()
  const wrong = ref('')
  function wait(take: (color: number[]) => void) {
    wrong.value = ''
    taker.value = take
    useHand().put()
    // Base color comes with the lit surface.
    if (work.look.kind !== 'lit') work.show({ kind: 'lit' })
  }
  const leave = () => (taker.value = undefined)
  /** The base color at a place of a map set, linear: an eighth of a bit is what its bytes hold. */
  async function at(page: number, u: number, v: number) {
    const take = taker.value
    const hash = work.evaluation?.maps?.base_color[page]
    if (!take) return
    if (!hash) {
      wrong.value = 'The surface is still on its way. Click once more.'
      return
    }
    try {
      const bytes = await mapBytes(hash)
      const size = Math.round(Math.sqrt(bytes.length / 4))
      const x = Math.min(size - 1, Math.max(0, Math.floor((u - Math.floor(u)) * size)))
      const y = Math.min(size - 1, Math.max(0, Math.floor((v - Math.floor(v)) * size)))
      const from = (y * size + x) * 4
      const hex = [0, 1, 2].map((k) => bytes[from + k].toString(16).padStart(2, '0')).join('')
      leave()
      take(fromHex(hex)!)
    } catch {
      wrong.value = 'The colour could not be read: the server did not answer. Click once more.'
    }
  }
  return { taker, wrong, wait, leave, at }
})
