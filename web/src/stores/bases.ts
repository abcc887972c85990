import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, messageOf } from '../api/client'
import { defaultsOf, type Base, type ChannelFact, type Entry, type Levels } from '../api/scene'
import { useWork } from './work'

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
  watch(
    () => (work.bench === 'base' && base.value?.where ? chosen.value : -1),
    (number) => work.selectBase(number),
    { immediate: true },
  )
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
  const put = (material: Base) => work.run('put-base', { material, base: chosen.value })
  /** The maps that came with the object, in place of the chosen base's own colour, roughness and metalness. */
  const asInFile = () => work.run('as-in-file', { base: chosen.value })
  const hasFileMaps = computed(() => (work.facts?.textures.length ?? 0) > 0)
  /** Whether a base shows them. */
  const isAsInFile = (b: Base) => hasFileMaps.value && b.file_maps && (work.scene?.object.own_maps ?? true)
  /** One more base: on some parts, or over what is there by a mask. */
  const add = (base: Base, parts: string[] | null, over = false, painted = false) =>
    work.run('add-base', { base, parts, over, painted })
  const setParts = (parts: string[] | null) => work.run('base-parts', { base: chosen.value, parts })
  const remove = (base: number) => work.run('remove-base', { base })
  const duplicate = (base: number) => work.run('duplicate-base', { base })
  const move = (base: number, by: number) => work.run('move-base', { base, to: base + by })
  watch(
    () => work.madeBase,
    (made) => made && (chosen.value = made.number),
  )
  const done = (label: string) => void work.commit(`${base.value ? title(base.value) : 'Base'}: ${label.toLowerCase()}`)

  /** Levels of a channel with every field, as the catalogue has them by default. */
  function freshLevels(): Levels {
    return defaultsOf(work.catalogue!.levels) as Levels
  }
  return {
    chosen,
    bases,
    base,
    materials,
    material,
    said,
    channels,
    title,
    fromStore,
    put,
    asInFile,
    hasFileMaps,
    isAsInFile,
    add,
    setParts,
    remove,
    duplicate,
    move,
    done,
    freshLevels,
  }
})
