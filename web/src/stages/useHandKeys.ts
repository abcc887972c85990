import { useEventListener } from '@vueuse/core'
import { useHand } from '../stores/hand'

/** Keys of the brush and the fill, for every stage where a mask can be painted; `turn` lets the object be turned. */
export function useHandKeys(turn: (on: boolean) => void) {
  const hand = useHand()
  // Before fields that keep Escape to themselves; what lies open over them goes first.
  useEventListener(
    window,
    'keydown',
    (event: KeyboardEvent) => {
      if (event.key !== 'Escape' || !hand.tool) return
      if (document.querySelector('.p-select-overlay, .p-popover, .p-menu-overlay, .p-dialog')) return
      event.preventDefault()
      hand.put()
    },
    { capture: true },
  )
  useEventListener(window, 'keyup', (event: KeyboardEvent) => event.key === ' ' && turn(false))
  useEventListener(window, 'blur', () => turn(false))
  const resize = (by: number) => {
    if (hand.sizeIn === 'px') hand.pixels = Number((hand.pixels * by).toPrecision(3))
    else hand.set('size_mm', Number(Math.min(100000, Math.max(0.05, hand.size * by)).toPrecision(3)))
  }
  return (): Record<string, () => void> => ({
    h: () => (hand.tool === 'paint' ? hand.put() : hand.take('paint')),
    i: () => (hand.tool === 'fill' ? hand.put() : hand.take('fill')),
    ...(hand.tool && {
      t: () => (hand.takes = !hand.takes),
      '+': () => resize(1.15),
      '-': () => resize(1 / 1.15),
      ' ': () => turn(true),
    }),
  })
}
