import type { Values } from '../../api/difference'
import { useLocalStorage } from '@vueuse/core'
import { computed, reactive, ref, shallowRef, toRaw } from 'vue'
import type {
  Catalogue,
  Evaluation,
  Facts,
  Job,
  Layer,
  Look,
  ObjectOut,
  Project,
  Scene,
  VersionOut,
} from '../../api/scene'
import type { Command, Unmade } from './waiting'

/** Sizes that the view works with while a control is dragged: the largest that the machine answers quickly. */
export const DRAG_SIZES = [128, 256, 512]
export type Size = number

export const client = Math.random().toString(36).slice(2)
export const copy = <T>(value: T): T => JSON.parse(JSON.stringify(toRaw(value)))
export const LIT: Look = { kind: 'lit', name: '', component: '', size_mm: 0, layer: '', index: 0 }

/** The camera of the view that is open, for whoever must know it. */
export interface Sight {
  eye: () => [number, number, number] | undefined
  /** Millimetres for a pixel of the screen, in the middle of the object. */
  perPixel: () => number
  camera: () => Camera | undefined
  look: (from: Camera) => void
}
export interface Camera {
  position: [number, number, number]
  target: [number, number, number]
  field_deg: number
}

/** What is known of the object being worked on; every part of the store reads and writes it. */
export function stateOf() {
  const projects = ref<Project[]>([])
  const catalogue = shallowRef<Catalogue>()
  const object = shallowRef<ObjectOut>()
  const scene = ref<Scene>()
  const version = shallowRef<VersionOut>()
  const evaluation = shallowRef<Evaluation>()
  const selectedId = ref('')
  const selectedTerm = ref(-1)
  /** The episode whose sheet is open, or "". */
  const selectedEpisode = ref('')
  const look = ref<Look>({ ...LIT })
  const pinned = ref(false)
  const until = ref<string | null>(null)
  const peeking = ref(false)
  /** Which stage the view serves: the object as made, or the weathered surface. */
  const bench = ref<'weather' | 'object' | 'base'>('weather')
  /** The view is near enough to show the relief itself. */
  const wantsRelief = ref(false)
  const size = useLocalStorage<Size>('limus.size', 1024)
  /** A control is moved and put back to learn what it sets: nobody is to see it. */
  const probing = ref(false)
  /** Edits on their way to the server. */
  const unsaved = ref(0)
  const saving = computed(() => unsaved.value > 0)
  const busy = ref(false)
  const measuring = shallowRef<Job>()
  const evaluationTrouble = ref('')
  const savingTrouble = ref('')
  /** UVs being made for the object. */
  const unwrapping = shallowRef<Job>()
  /**
   * The line over the view. What an evaluation complains of goes with the next one that works; anything else stays
   * until it is put right.
   */
  const trouble = computed({
    get: () => savingTrouble.value || evaluationTrouble.value,
    set: (text: string) => {
      savingTrouble.value = text
      if (!text) evaluationTrouble.value = ''
    },
  })
  /** An edit that the server did not take: it is kept here and sent again. */
  const kept = ref<{ label: string; why: string }>()
  /** Names of edits that are not saved yet, and of those that were taken back before they were; oldest first. */
  const waitingLabels = ref<string[]>([])
  const againLabels = ref<string[]>([])
  /** Edits that were refused because another window changed the scene first. */
  const unmade = shallowRef<Unmade[]>([])
  /** What was drawn and is still on its way to become a file: undo takes it back first. */
  const gestures = reactive<{ label: string; gone: boolean }[]>([])
  /** The demo's user signs in by itself, so signing out would do nothing. */
  const demo = ref(true)
  /** The object that is being opened, by number. */
  const opening = ref(0)
  const notice = ref('')
  /** The base that an edit made, or moved. */
  const madeBase = shallowRef<{ number: number }>()

  /** How many strokes are in the scene that is asked for, and in the one that is shown. */
  const wantsMarks = ref(0)
  const marks = ref(0)

  const selected = computed<Layer | undefined>(() => scene.value?.layers.find((l) => l.id === selectedId.value))
  const episode = computed(() => scene.value?.episodes.find((e) => e.id === selectedEpisode.value))
  /** The chosen base where it lies by a mask, in the Base stage; -1: none. */
  const maskedBase = ref(-1)
  /** What the recipe that is open belongs to, as questions name it. */
  const focus = computed(() => {
    if (bench.value === 'base') return maskedBase.value < 0 ? '' : `base:${maskedBase.value}`
    return selectedEpisode.value ? `episode:${selectedEpisode.value}` : selectedId.value
  })
  /** Whose mask the hand works on, with the address of its recipe. */
  const inHand = computed(() => {
    if (bench.value === 'base') {
      const base = scene.value?.bases[maskedBase.value]
      return base && { name: base.name || 'the base', place: `bases[${maskedBase.value}]` }
    }
    return selected.value && { name: selected.value.name, place: `layers[${selected.value.id}]` }
  })
  const outcome = computed(() => new Map((evaluation.value?.layers ?? []).map((l) => [l.id, l])))
  const effects = computed(() => new Map((catalogue.value?.effects ?? []).map((e) => [e.kind, e])))
  const sources = computed(() => new Map((catalogue.value?.sources ?? []).map((s) => [s.kind, s])))
  const facts = computed(() => object.value?.facts as unknown as Facts | undefined)
  /** Where the camera of the view stands, metres; the view says it. */
  const sight: Sight = { eye: () => undefined, perPixel: () => 0, camera: () => undefined, look: () => {} }
  /** Whether a file of this name is an object, or holds one. */
  const isModel = (name: string) =>
    (catalogue.value?.model_kinds ?? []).some((ending) => name.toLowerCase().endsWith(ending))
  const parts = computed(() => (facts.value?.parts ?? []).map((p) => p.name))

  return {
    projects,
    catalogue,
    object,
    scene,
    version,
    evaluation,
    selectedId,
    selectedTerm,
    selectedEpisode,
    look,
    pinned,
    until,
    peeking,
    bench,
    wantsRelief,
    probing,
    size,
    unsaved,
    saving,
    busy,
    measuring,
    unwrapping,
    trouble,
    evaluationTrouble,
    savingTrouble,
    kept,
    waitingLabels,
    againLabels,
    unmade,
    gestures,
    demo,
    opening,
    notice,
    madeBase,
    wantsMarks,
    marks,
    selected,
    episode,
    focus,
    maskedBase,
    inHand,
    outcome,
    effects,
    sources,
    facts,
    sight,
    isModel,
    parts,
  }
}
export type State = ReturnType<typeof stateOf>
/** What the parts of the store ask of each other. */
export interface Verbs {
  full(): void
  sharp(): void
  climb(): void
  showLast(id: number, version: number): Promise<boolean>
  lightly(): void
  take(found: VersionOut): void
  versionNow(): number
  anew(): void
  takeUpKept(): void
  saved(): Promise<void>
  edit(label: string, change: (scene: Scene) => void, light?: boolean): void
  commit(label: string, light?: boolean): Promise<unknown>
  run(name: string, given: Record<string, unknown>, label?: string, light?: boolean): Promise<void>
  asked(): { base: number; edits: Command[] }
  probed(move: () => void, back: () => void): Values
  preview(): void
  fit(size: number): Promise<void>
  followUnwrapping(id: number): Promise<void>
  reload(): Promise<void>
  measure(quality?: 'good' | 'fine'): Promise<void>
}
