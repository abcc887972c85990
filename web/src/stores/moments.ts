import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { api, messageOf } from '../api/client'
import type { Evaluation, VersionOut } from '../api/scene'
import type { components } from '../api/schema'
import { during } from '../rest'
import { usePhotographs } from './photographs'
import { useWork } from './work'

type S = components['schemas']
export type Moment = S['MomentOut']
export type Row = S['VersionRow']
export type Way = 'wipe' | 'side' | 'blink' | 'difference'
/** What is held against the surface as it is now: a moment, or a version of the history. */
export interface Held {
  title: string
  version: number
  moment?: Moment
}

/** Moments of the object, its history, and which of them is compared with the surface as it is now. */
export const useMoments = defineStore('moments', () => {
  const work = useWork()
  const photos = usePhotographs()
  const all = ref<Moment[]>([])
  const history = ref<Row[]>([])
  const wrong = ref('')
  const held = shallowRef<Held>()
  /** The answer that is compared, once it is there. */
  const other = shallowRef<Evaluation>()
  const way = ref<Way>('wipe')
  const at = ref(0.5)
  const times = ref(4)
  /** Light of the view that is open. */
  const light = shallowRef<{
    get: () => { setup: string; azimuth: number; elevation: number; strength: number }
    set: (to: { setup: string; azimuth: number; elevation: number; strength: number }) => void
  }>()

  watch(
    () => work.object?.id,
    async (id) => {
      all.value = []
      history.value = []
      release()
      if (id === undefined) return
      const { data } = await api.GET('/api/objects/{object_id}/moments', { params: { path: { object_id: id } } })
      if (work.object?.id === id) all.value = (data ?? []) as unknown as Moment[]
    },
    { immediate: true },
  )
  async function lookBack() {
    const id = work.object?.id
    if (id === undefined) return
    const { data } = await api.GET('/api/objects/{object_id}/versions', { params: { path: { object_id: id } } })
    if (work.object?.id === id) history.value = data ?? []
  }

  /** Keep the surface as it is seen just now, by name. */
  async function keep(name: string) {
    const id = work.object?.id
    const camera = work.sight.camera()
    if (id === undefined || !camera || !light.value) return
    await work.saved()
    const version = work.version?.version
    if (version === undefined) return
    const { data, error } = await api.POST('/api/objects/{object_id}/moments', {
      params: { path: { object_id: id } },
      body: {
        name,
        version,
        photograph: photos.shown ? photos.chosenId || null : null,
        view: { ...camera, ...light.value.get(), until: work.until, look: { ...work.look } },
      },
    })
    if (data) all.value.push(data as unknown as Moment)
    wrong.value = data ? '' : messageOf(error)
  }
  async function rename(moment: Moment, name: string) {
    const { data } = await api.PATCH('/api/moments/{moment_id}', {
      params: { path: { moment_id: moment.id } },
      body: { name },
    })
    if (data) all.value = all.value.map((m) => (m.id === moment.id ? (data as unknown as Moment) : m))
  }
  async function forget(moment: Moment) {
    await api.DELETE('/api/moments/{moment_id}', { params: { path: { moment_id: moment.id } } })
    all.value = all.value.filter((m) => m.id !== moment.id)
    if (held.value?.moment?.id === moment.id) release()
  }
  /** Look from where it was looked at then, in the light it was in, with its photograph. */
  function stand(moment: Moment) {
    const view = moment.view
    work.sight.look(view as never)
    light.value?.set(view as never)
    if (moment.photograph) {
      photos.choose(moment.photograph)
      photos.shown ||= 'beside'
    }
  }

  /** Hold one against the surface as it is now. */
  async function hold(what: Held) {
    held.value = what
    other.value = undefined
    wrong.value = ''
    const mine = what
    await during(
      'a moment',
      (async () => {
        for (const size of [256, work.size] as const) {
          try {
            const found = await work.aside({
              about: { base: what.version, edits: [] },
              size,
              until: what.moment ? (what.moment.view.until ?? null) : null,
              wanted: () => held.value === mine,
            })
            if (held.value !== mine) return
            other.value = found
          } catch (error) {
            if (held.value === mine) wrong.value = error instanceof Error ? error.message : 'It could not be shown.'
            return
          }
        }
      })(),
    )
  }
  function release() {
    held.value = undefined
    other.value = undefined
  }
  /** Its state again, as a new version: nothing is lost, and undo takes it back. */
  async function back(version: number) {
    const id = work.object?.id
    if (id === undefined) return
    await work.saved()
    const { data, error } = await api.POST('/api/objects/{object_id}/back', {
      params: { path: { object_id: id } },
      body: { base: work.version!.version, version },
    })
    if (!data) {
      wrong.value = messageOf(error)
      return
    }
    release()
    work.take(data as unknown as VersionOut)
    work.sharp()
    void lookBack()
  }
  const comparing = computed(() => !!other.value)
  return {
    all, history, wrong, held, other, way, at, times, light, comparing,
    lookBack, keep, rename, forget, stand, hold, release, back,
  } // prettier-ignore
})
