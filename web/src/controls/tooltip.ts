import Tooltip from 'primevue/tooltip'
import type { DirectiveBinding, ObjectDirective, VNode } from 'vue'

/**
 * PrimeVue's tooltip, made when the pointer first comes to its element: hundreds of fields have one, hardly any is ever
 * looked at, and its hooks took a third of the time of every redraw of a sheet.
 */
type Given = [DirectiveBinding, VNode]
interface Sleeper {
  given: Given
  awake: boolean
  wake: () => void
}
const sleepers = new WeakMap<HTMLElement, Sleeper>()
const real = Tooltip as unknown as Record<string, (el: HTMLElement, binding: DirectiveBinding, ...v: unknown[]) => void>

export const tooltip: ObjectDirective<HTMLElement> = {
  mounted(el, binding, vnode) {
    const mine: Sleeper = {
      given: [binding, vnode],
      awake: false,
      wake: () => {
        mine.awake = true
        el.removeEventListener('mouseenter', mine.wake)
        for (const hook of ['created', 'beforeMount', 'mounted']) real[hook]?.(el, mine.given[0], mine.given[1], null)
        // Its own listener was not there yet.
        el.dispatchEvent(new MouseEvent('mouseenter'))
      },
    }
    sleepers.set(el, mine)
    el.addEventListener('mouseenter', mine.wake)
  },
  updated(el, binding, vnode, before) {
    const mine = sleepers.get(el)
    if (!mine) return
    mine.given = [binding, vnode]
    if (!mine.awake || binding.value === binding.oldValue) return
    for (const hook of ['beforeUpdate', 'updated']) real[hook]?.(el, binding, vnode, before)
  },
  beforeUnmount(el, binding, vnode) {
    const mine = sleepers.get(el)
    if (mine?.awake) real.beforeUnmount?.(el, binding, vnode, null)
    else if (mine) el.removeEventListener('mouseenter', mine.wake)
  },
  unmounted(el, binding, vnode) {
    if (sleepers.get(el)?.awake) real.unmounted?.(el, binding, vnode, null)
    sleepers.delete(el)
  },
}
