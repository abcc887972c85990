import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, messageOf } from '../api/client'
import type { Base, ChannelFact, Entry, Levels } from '../api/scene'
import { useWork } from './work'

const copy = <T>(value: T): T => JSON.parse(JSON.stringify(value))

/** The bases of the object: which one is chosen, and what is done with them. */
export const useBases = defineStore('bases', () => {
  const work = useWork()
  const chosen = ref(0)
  const bases = computed(() => work.scene?.bases ?? [])
  const base = computed<Base | undefined>(() => bases.value[chosen.value])
  const materials = computed(() => new Map((work.catalogue?.materials ?? []).map((m: Entry) => [m.kind, m])))
  const material = computed(() => (base.value ? materials.value.get(base.value.material.kind) : undefined))
  const said = computed(() => new Map((work.evaluation?.bases ?? []).map((b) => [b.index, b])))
  const channels = computed<ChannelFact[]>(() => work.catalogue?.channel_list ?? [])
  const title = (b: Base) => b.name || materials.value.get(b.material.kind)?.title || b.material.kind
  watch(
    () => [work.object?.id, bases.value.length],
    ([id, count], [was]) => {
      if (id !== was) chosen.value = 0
      chosen.value = Math.max(0, Math.min(chosen.value, Number(count) - 1))
    },
  )
  /** Parts that nothing else claims lie under the first base without names. */
  const partsOf = (b: Base) => {
    if (b.parts) return b.parts
    const claimed = new Set(bases.value.filter((o) => o.parts && !o.where).flatMap((o) => o.parts!))
    return work.parts.filter((p) => !claimed.has(p))
  }
  const isRest = (k: number) => bases.value.findIndex((b) => b.parts === null && !b.where) === k

  async function fromStore(name: string): Promise<Base | undefined> {
    if (!work.object) return undefined
    const { data, error } = await api.POST('/api/objects/{object_id}/store-room/take', {
      params: { path: { object_id: work.object.id } },
      body: { name, on: true },
    })
    if (!data) work.trouble = messageOf(error)
    return data?.base as unknown as Base | undefined
  }
  /** Another material in the place of the chosen base: its parts, place and blend stay. */
  function put(fresh: Base, label: string) {
    work.edit(label, (scene) => {
      const old = scene.bases[chosen.value]
      if (!old) scene.bases.push(copy(fresh))
      else scene.bases[chosen.value] = { ...copy(fresh), parts: old.parts, where: old.where }
    })
  }
  /** The maps that came with the object, in place of the chosen base's own colour, roughness and metalness. */
  function asInFile() {
    work.edit('As in the file', (scene) => {
      if (!scene.object.own_maps) {
        scene.object.own_maps = true
        scene.bases.forEach((b) => (b.file_maps = false))
      }
      if (scene.bases[chosen.value]) scene.bases[chosen.value].file_maps = true
    })
  }
  const hasFileMaps = computed(() => (work.facts?.textures.length ?? 0) > 0)
  /** Whether a base shows them. */
  const isAsInFile = (b: Base) => hasFileMaps.value && b.file_maps && (work.scene?.object.own_maps ?? true)
  /** One more base: on some parts, or over what is there. */
  function add(fresh: Base, parts: string[] | null) {
    work.edit(`Add ${title(fresh).toLowerCase()}`, (scene) => {
      const entry: Base = { ...copy(fresh), parts }
      if (parts) claim(scene.bases, parts, -1)
      scene.bases.push(entry)
      chosen.value = scene.bases.length - 1
    })
  }
  /** A part is made of one base (besides those that lie over it). */
  function claim(all: Base[], parts: string[], except: number) {
    const taken = new Set(parts)
    all.forEach((b, k) => {
      if (k !== except && b.parts && !b.where) b.parts = b.parts.filter((p) => !taken.has(p))
    })
  }
  function setParts(parts: string[] | null) {
    work.edit('Parts of a base', (scene) => {
      const b = scene.bases[chosen.value]
      if (parts && !b.where) claim(scene.bases, parts, chosen.value)
      b.parts = parts
    })
  }
  function remove(k: number) {
    work.edit(`Remove ${title(bases.value[k]).toLowerCase()}`, (scene) => {
      scene.bases.splice(k, 1)
      if (!scene.bases.length) work.notice = 'Without a base the object is made of cast iron.'
    })
  }
  function duplicate(k: number) {
    work.edit('Duplicate base', (scene) => {
      const twin = copy(scene.bases[k])
      twin.name = `${title(twin)} copy`.slice(0, 80)
      twin.parts = []
      scene.bases.splice(k + 1, 0, twin)
      chosen.value = k + 1
    })
  }
  function move(k: number, by: number) {
    work.edit('Move base', (scene) => {
      scene.bases.splice(k + by, 0, ...scene.bases.splice(k, 1))
      chosen.value = k + by
    })
  }
  const done = (label: string) => void work.commit(`${base.value ? title(base.value) : 'Base'}: ${label.toLowerCase()}`)

  /** Levels of a channel with every field, as the catalogue has them by default. */
  function freshLevels(): Levels {
    const fields = (work.catalogue?.levels.properties ?? {}) as Record<string, { default?: unknown }>
    return Object.fromEntries(Object.entries(fields).map(([name, f]) => [name, f.default ?? null])) as Levels
  }
  return { chosen, bases, base, materials, material, said, channels, title, partsOf, isRest, fromStore, put, asInFile, hasFileMaps, isAsInFile, add, setParts, remove, duplicate, move, done, freshLevels } // prettier-ignore
})
