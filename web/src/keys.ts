/** Whether a key belongs to a field or to something that lies open, not to the stage. */
export function typing(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement
  return (
    // A switch that was just pressed has the focus, and takes no letters.
    target.matches('input:not([type=checkbox], [type=radio], [type=range]), textarea, select, [contenteditable]') ||
    !!target.closest('.p-dialog, .p-popover, .p-menu, .p-select-overlay')
  )
}
