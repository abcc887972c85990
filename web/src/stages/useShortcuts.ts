import { useEventListener } from '@vueuse/core'
import { useWork } from '../stores/work'

/** Whether a key belongs to a field or to something that lies open, not to the stage. */
export function typing(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement
  return (
    // A switch that was just pressed has the focus, and takes no letters.
    target.matches('input:not([type=checkbox], [type=radio], [type=range]), textarea, select, [contenteditable]') ||
    !!target.closest('.p-dialog, .p-popover, .p-menu, .p-select-overlay')
  )
}

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
