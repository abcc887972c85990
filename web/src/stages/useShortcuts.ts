import { useEventListener } from '@vueuse/core'
import { typing } from '../keys'
import { useWork } from '../stores/work'

/** Keys of a stage: undo and redo, and what `acts` says for a key (in small letters). */
export function useShortcuts(acts: () => Record<string, () => void>) {
  const work = useWork()
  useEventListener(window, 'keydown', (event: KeyboardEvent) => {
    if (typing(event)) return
    const key = event.key.toLowerCase()
    if ((event.ctrlKey || event.metaKey) && !event.altKey) {
      if (key !== 'z' && key !== 'y') return
      event.preventDefault()
      void work.step(key === 'y' || event.shiftKey ? 'redo' : 'undo')
      return
    }
    if (event.ctrlKey || event.metaKey || event.altKey) return
    const act = acts()[key]
    if (!act) return
    event.preventDefault()
    act()
  })
}
