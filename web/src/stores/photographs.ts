import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { put } from '../api/difference'
import { api, messageOf, sendPhotograph } from '../api/client'
import type { components } from '../api/schema'
import { useWork } from './work'

type S = components['schemas']
export type Photo = S['PhotographOut']
export type Marks = Required<S['Marks']>
type Read = S['ReadOut']
export type Fitted = S['Fitted']
export type Point = [number, number]
/** How a photograph is shown with the surface: beside the view, or over it. */
export type Shown = 'beside' | 'over' | ''
/** Where a photograph lies over the view: its middle in shares of the view, width in shares of its height, degrees. */
export interface Over {
  x: number
  y: number
  size: number
  turn: number
  opacity: number
}
const UNMOVED: Over = { x: 0.5, y: 0.5, size: 1, turn: 0, opacity: 0.5 }

/** The photographs of the project: which one is looked at, what was read off it, and what that sets. */
export const usePhotographs = defineStore('photographs', () => {
  const work = useWork()
  const all = ref<Photo[]>([])
  const chosenId = ref(0)
  const shown = ref<Shown>('')
  const over = useLocalStorage<Record<string, Over>>('limus.over', {})
  const wrong = ref('')
  const busy = ref('')
  const read = shallowRef<Read>()
  const kind = ref(-1)
  const fitted = shallowRef<Fitted>()
  const fittedFor = ref('')

  const chosen = computed(() => all.value.find((one) => one.id === chosenId.value))
  const place = computed<Over>({
    get: () => ({ ...UNMOVED, ...over.value[chosenId.value] }),
    set: (next) => (over.value = { ...over.value, [chosenId.value]: next }),
  })
  watch(
    () => work.object?.project,
    async (project) => {
      all.value = []
      choose(0)
      if (project === undefined) return
      const { data } = await api.GET('/api/projects/{project_id}/photographs', {
        params: { path: { project_id: project } },
      })
      if (work.object?.project === project) all.value = (data ?? []) as unknown as Photo[]
    },
    { immediate: true },
  )

  function choose(id: number) {
    if (id === chosenId.value) return
    chosenId.value = id
    read.value = undefined
    kind.value = -1
    fitted.value = undefined
    wrong.value = ''
    if (!id) shown.value = ''
  }
  const url = (id: number, small = false) => `/api/photographs/${id}/picture.jpg${small ? '?small=true' : ''}`

  /** Pictures of the real thing, as many as are given; what is refused says why, the others hang. */
  async function add(files: File[]) {
    const project = work.object?.project
    if (project === undefined) return
    wrong.value = ''
    const refused: string[] = []
    for (const [k, file] of files.entries()) {
      busy.value = files.length > 1 ? `Taking in ${k + 1} of ${files.length}` : 'Taking it in'
      try {
        const found = await sendPhotograph<Photo>(project, file)
        if (work.object?.project !== project) return
        all.value.push(found)
        choose(found.id)
        if (!shown.value) shown.value = 'beside'
      } catch (error) {
        refused.push(error instanceof Error ? error.message : `${file.name} was not taken in.`)
      }
    }
    busy.value = ''
    wrong.value = refused.slice(0, 3).join(' ')
  }
  /** Saved at once; what the server makes of it comes back. */
  async function change(id: number, what: S['PhotographIn']) {
    const { data, error } = await api.PATCH('/api/photographs/{photograph_id}', {
      params: { path: { photograph_id: id } },
      body: what,
    })
    if (data) all.value = all.value.map((one) => (one.id === id ? (data as unknown as Photo) : one))
    wrong.value = data ? '' : messageOf(error)
  }
  const mark = (marks: Partial<Marks>) =>
    chosen.value ? change(chosen.value.id, { marks: { ...(chosen.value.marks as Marks), ...marks } }) : undefined

  async function remove(id: number) {
    const { error, response } = await api.DELETE('/api/photographs/{photograph_id}', {
      params: { path: { photograph_id: id } },
    })
    if (response.status !== 204) {
      wrong.value = messageOf(error)
      return
    }
    all.value = all.value.filter((one) => one.id !== id)
    if (chosenId.value === id) choose(all.value.at(-1)?.id ?? 0)
  }

  /** Split the marked region into kinds of surface. */
  async function readOff() {
    const photo = chosen.value
    if (!photo) return
    busy.value = 'Reading'
    wrong.value = ''
    fitted.value = undefined
    const { data, error } = await api.POST('/api/photographs/{photograph_id}/read', {
      params: { path: { photograph_id: photo.id } },
      body: { outline: photo.marks.outline ?? [], kinds: photo.marks.kinds ?? 4, seed: 1 },
    })
    busy.value = ''
    if (photo.id !== chosenId.value) return
    read.value = data as unknown as Read | undefined
    // What is rare is what one wants to set: the most common is what it lies on.
    kind.value = data ? Math.min(1, data.read.kinds.length - 1) : -1
    wrong.value = data ? '' : messageOf(error)
  }
  /** What to set on a layer so that it measures what the chosen kind does; nothing is set yet. */
  async function fit(layer: string) {
    const one = read.value?.read.kinds[kind.value]
    const item = work.object
    if (!one || !item) return
    busy.value = 'Trying settings'
    wrong.value = ''
    fitted.value = undefined
    const { data, error } = await work.askedOn((about) =>
      api.POST('/api/objects/{object_id}/fit', {
        params: { path: { object_id: item.id } },
        body: {
          ...about,
          layer,
          resolution: 512,
          wanted: {
            share: one.share,
            size_mm: one.sizes_mm?.[1] ?? null,
            ragged: one.ragged,
            clustered: one.clustered,
            color: read.value!.read.light_taken_out ? one.color : null,
          },
        },
      }),
    )
    busy.value = ''
    if (item.id !== work.object?.id) return
    fitted.value = data as unknown as Fitted | undefined
    fittedFor.value = data ? layer : ''
    wrong.value = data ? '' : messageOf(error)
  }
  const values = computed(() =>
    Object.fromEntries(
      (fitted.value?.changes ?? []).map((one) => [`layers[${fittedFor.value}].effect.${one.field}`, one.after]),
    ),
  )
  /** Set what was found, in one step that can be undone. */
  function use() {
    if (!work.scene || !fitted.value) return
    put(work.scene, { values: values.value, drop: [] })
    void work.commit('As in the photograph')
    fitted.value = undefined
  }

  return {
    all, chosenId, chosen, shown, place, wrong, busy, read, kind, fitted, fittedFor, values,
    choose, url, add, change, mark, remove, readOff, fit, use,
  } // prettier-ignore
})
