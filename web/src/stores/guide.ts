import { defineStore } from 'pinia'
import { ref, watch } from 'vue'
import { api, messageOf } from '../api/client'
import type { GuideEntry } from '../api/scene'
import { useWork } from './work'

/** A page of the guide, and the setting on it that is meant. */
export interface Page {
  what: string
  kind: string
  field?: string
}

/** The guide: which page is open, and every page, loaded when it is first opened. */
export const useGuide = defineStore('guide', () => {
  const work = useWork()
  const open = ref(false)
  const page = ref<Page>({ what: 'keys', kind: 'keys' })
  const entries = ref<GuideEntry[]>([])
  const trouble = ref('')
  /** Diagonal of the object that the defaults suit. */
  let fits = 0
  async function load() {
    const size = work.facts ? Math.hypot(...work.facts.size_m) : 1
    if (entries.value.length && size === fits) return
    trouble.value = ''
    try {
      const { data, error } = await api.GET('/api/guide', { params: { query: { size_m: size || 1 } } })
      if (data) entries.value = data as GuideEntry[]
      else trouble.value = messageOf(error)
      fits = size
    } catch {
      trouble.value = messageOf(undefined)
    }
  }
  function show(wanted: Page = { what: 'keys', kind: 'keys' }) {
    page.value = wanted
    open.value = true
  }
  watch(open, (now) => now && void load())
  return { open, page, entries, trouble, load, show }
})

/** The page for a place of the interface: the nearest `data-guide`, and the field there. */
export function pageOf(element: Element | null): Page | undefined {
  const [what, ...kind] = element?.closest<HTMLElement>('[data-guide]')?.dataset.guide?.split(':') ?? []
  if (!what) return undefined
  return { what, kind: kind.join(':'), field: element?.closest<HTMLElement>('[data-field]')?.dataset.field }
}
