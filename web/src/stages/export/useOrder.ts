import { computed, reactive, toRaw } from 'vue'
import type { components } from '../../api/schema'
import { useWork } from '../../stores/work'

/** As it is sent: what is left out is as it usually is. */
export type Order = Partial<components['schemas']['Order']>
export const sent = (order: Order) => order as components['schemas']['Order']

/** What an export is to be, as the interface holds it: every field has a value. */
export interface Draft {
  target: string
  resolution: number
  bits: number
  masks: string[]
  packed: boolean
  names: string
  sizes: Record<string, number>
  gutter: number | null
  gutter_mm: number | null
  dither: boolean
  recipe: string[]
  snapshots: string[]
  moved: boolean
  edge_mm: number | null
}
const FRESH: Draft = {
  target: 'gltf',
  resolution: 2048,
  bits: 0,
  masks: [],
  packed: false,
  names: '',
  sizes: {},
  gutter: null,
  gutter_mm: null,
  dither: false,
  recipe: [],
  snapshots: [],
  moved: false,
  edge_mm: null,
}

/** What names layers and snapshots of one object. */
const OWN = () => ({ masks: [] as string[], snapshots: [] as string[] })
const KEPT = 'limus.order'
/** What was set the last time; nothing where that cannot be read. */
function kept(): Partial<Draft> {
  try {
    return JSON.parse(localStorage.getItem(KEPT) ?? '{}') as Partial<Draft>
  } catch {
    return {}
  }
}

/**
 * The order of the Export stage: remembered on this machine, but for its masks and snapshots, which are an object's own. What a target
 * does not take stays with the draft and is not sent.
 */
export function useOrder() {
  const work = useWork()
  const draft = reactive<Draft>({ ...structuredClone(FRESH), ...kept(), ...OWN() })
  const targets = computed(() => work.catalogue?.targets ?? [])
  const target = computed(() => targets.value.find((t) => t.kind === draft.target) ?? targets.value[0])
  const takes = (field: string) => !!target.value?.takes.includes(field)
  const bits = computed(() => (target.value?.depths.includes(draft.bits) ? draft.bits : (target.value?.depths[0] ?? 8)))
  const order = computed<Order>(() => {
    const out: Order = { target: target.value?.kind ?? 'gltf', resolution: draft.resolution, bits: bits.value }
    if (draft.masks.length) Object.assign(out, { masks: [...draft.masks], packed: draft.packed })
    if (takes('names') && draft.names.trim()) out.names = draft.names.trim()
    for (const field of ['gutter', 'gutter_mm', 'edge_mm'] as const)
      if (takes(field) && draft[field] !== null) out[field] = draft[field]
    const named = draft.snapshots.filter((name) => work.scene?.snapshots.some((one) => one.name === name))
    if (takes('snapshots') && named.length) out.snapshots = named
    if (takes('moved') && draft.moved) out.moved = true
    if (takes('dither') && draft.dither && bits.value === 8) out.dither = true
    if (takes('recipe')) out.recipe = draft.recipe.map((line) => line.trim()).filter(Boolean)
    const sizes = Object.entries(draft.sizes).filter(([, size]) => size < draft.resolution)
    if (takes('sizes') && sizes.length) out.sizes = Object.fromEntries(sizes)
    return out
  })
  function remember() {
    localStorage.setItem(KEPT, JSON.stringify({ ...toRaw(draft), ...OWN() }))
  }
  /** Take up an order that was kept; its masks stay out, since they name layers. */
  function take(given: Order) {
    Object.assign(draft, structuredClone(FRESH), structuredClone(toRaw(given)), {
      masks: draft.masks,
      snapshots: draft.snapshots,
    })
  }
  return { draft, order, targets, target, takes, bits, remember, take }
}
