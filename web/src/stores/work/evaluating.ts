import { computed, markRaw } from 'vue'
import { api, messageOf, unheard } from '../../api/client'
import { held, mapBytes, unpack } from '../../api/pictures'
import type { Evaluation, Look, Sent, Tile } from '../../api/scene'
import type { components } from '../../api/schema'
import { until as until_ } from '@vueuse/core'
import type { Values } from '../../api/difference'
import { client, LIT, DRAG_SIZES, copy, type State, type Verbs } from './state'
import { Plan } from '../../rest'
import { paceOf } from './pace'

/** What a question is about, as the API takes it. */
export type About = Pick<components['schemas']['EvaluateIn'], 'base' | 'document' | 'edits'>
/** An answer comes as one run of bytes, with its pictures. */
const PACKED = 'application/octet-stream'
interface Wanted {
  size: number
  pictures: boolean
  /** A control is being moved. */
  drag?: boolean
}

/** A question beside the view, see `aside`. */
export interface Aside {
  set?: Values
  about?: About
  size: number
  until?: string | null
  look?: Look
  wanted: () => boolean
}

/** Requests of this page are numbered: the server answers the newest of a page. */
let ticket = 0

/** Asking for what the view shows: one request under way, one waiting; the newest wins. And what is looked at. */
export function evaluating(s: State, w: Verbs) {
  const {
    object,
    scene,
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
    size,
    busy,
    evaluationTrouble,
    wantsMarks,
    marks,
    focus,
    facts,
  } = s
  let underWay = false
  let waiting: Wanted | undefined
  /** How often what was asked was overtaken, one time after the other. */
  let overtaken = 0
  /** What comes after what is under way when an object is opened: from coarse to sharp. */
  let climbing: Wanted[] = []
  const pace = paceOf(DRAG_SIZES)

  function evaluate(wanted: Wanted) {
    climbing = []
    if (underWay) {
      waiting = wanted
      return
    }
    void run(wanted)
  }

  /**
   * Ask about the scene as it is shown: by its version and what is set anew in it; whole, where the server does not
   * hold that version.
   */
  async function askedOn<T extends { response: Response }>(ask: (about: About) => Promise<T>): Promise<T> {
    const found = await ask(w.asked())
    if (found.response.status !== 410) return found
    return ask({ edits: [], document: copy(scene.value) as unknown as Sent })
  }

  async function run(wanted: Wanted) {
    const item = object.value
    if (!item || !scene.value) return
    clearTimeout(idle)
    if (bench.value !== 'weather' ? !facts.value?.uv.present : item.readings === 'missing') return
    underWay = true
    busy.value = true
    const number = ++ticket
    let again = false
    const began = performance.now()
    try {
      const serves = bench.value
      const carried = wantsMarks.value
      const request = (about: About) => ({
        params: { path: { object_id: item.id } },
        headers: { Accept: PACKED },
        parseAs: 'arrayBuffer' as const,
        body: {
          has: held(),
          ...about,
          ticket: number,
          client,
          resolution: wanted.size,
          ahead: false,
          until: peeking.value ? before(selectedId.value) : until.value,
          look: peeking.value ? { ...LIT } : { ...look.value },
          selected: focus.value,
          pictures: wanted.pictures,
          bases: serves === 'base' && wanted.pictures,
          relief: wantsRelief.value,
        },
      })
      const {
        data: bytes,
        error,
        response,
      } = await askedOn((about) =>
        serves !== 'weather'
          ? api.POST('/api/objects/{object_id}/look', request(about))
          : api.POST('/api/objects/{object_id}/evaluate', request(about)),
      )
      const data = bytes && unpack<Evaluation>(bytes)
      if (serves !== bench.value) {
        again = true
        return
      }
      if (item.id !== object.value?.id) return
      if (data && wanted.drag) pace.took(wanted.size, performance.now() - began)
      if (data) {
        const old = evaluation.value
        // Small pictures come only with full evaluations; a drag step keeps the ones there are.
        if (!wanted.pictures && old) {
          const cards = new Map(old.layers.map((l) => [l.id, l.picture]))
          data.layers.forEach((l) => (l.picture = cards.get(l.id) ?? ''))
          data.coats.forEach((c, k) => (c.picture = old.coats[k]?.name === c.name ? old.coats[k].picture : ''))
          data.pictures = old.pictures
          data.channels = old.channels
          data.exposed = old.exposed
          data.bases = old.bases
        }
        evaluation.value = markRaw(data) as Evaluation
        overtaken = 0
        marks.value = carried
        evaluationTrouble.value = ''
        if (object.value && data.readings !== object.value.readings)
          object.value = { ...object.value, readings: data.readings }
      } else if (response.status === 422 && look.value.kind !== 'lit' && !waiting) {
        // What was looked through is gone (its layer was removed or switched off): show the surface again.
        look.value = { ...LIT }
        pinned.value = false
        again = true
      } else if (response.status !== 409) evaluationTrouble.value = messageOf(error)
      // Something newer goes first at the server. Where nothing newer waits here, it was nothing that the view will show.
      else again = !waiting && ++overtaken <= 3
    } catch (error) {
      evaluationTrouble.value = messageOf(error instanceof TypeError ? undefined : error)
    } finally {
      underWay = false
      busy.value = false
      const next = waiting ?? (again ? wanted : undefined)
      waiting = undefined
      // What was to come after it still comes.
      if (next) void run(next)
      else if (climbing.length) {
        const [step, ...rest] = climbing
        climbing = rest
        void run(step)
      } else if (!wanted.drag) goAhead()
    }
  }

  /**
   * While nothing else is asked for: the sizes of a drag are made ready, so that its first step need not play the whole
   * chronicle.
   */
  let idle: ReturnType<typeof setTimeout> | undefined
  function goAhead() {
    clearTimeout(idle)
    if (bench.value !== 'weather') return
    idle = setTimeout(() => {
      const cold = pace.cold(JSON.stringify(scene.value?.layers ?? []), size.value)
      if (cold && !underWay) void ahead(cold)
    }, 350)
  }
  /** Whatever somebody asks for meanwhile ends it: the server takes the newest of a tab. */
  async function ahead(wanted: number) {
    const item = object.value
    if (!item || !scene.value || item.readings === 'missing') return
    const number = ++ticket
    try {
      const { data } = await askedOn((about) =>
        api.POST('/api/objects/{object_id}/evaluate', {
          params: { path: { object_id: item.id } },
          fetch: unheard,
          body: {
            ...about,
            ticket: number,
            client,
            resolution: wanted,
            until: until.value,
            look: { ...LIT },
            selected: focus.value,
            pictures: false,
            ahead: true,
            bases: false,
            relief: false,
          },
        }),
      )
      if (!data || item.id !== object.value?.id) return
      pace.warm(wanted)
      if (number === ticket) goAhead()
    } catch {
      // Nobody waited for it.
    }
  }

  /**
   * The surface otherwise than it is shown, for whoever shows it beside the view: with values set (`set`), or of another
   * question altogether (`about`). The view goes first: where it asks for something meanwhile, this begins anew after
   * it, as long as it is still `wanted`.
   */
  function aside(ask: Aside): Promise<Evaluation | undefined> {
    // One after the other: two would end each other again and again, as the newest question of a page goes first.
    const mine = beside.then(() => besides(ask))
    beside = mine.catch(() => undefined)
    return mine
  }
  let beside: Promise<unknown> = Promise.resolve()
  async function besides(ask: Aside): Promise<Evaluation | undefined> {
    const id = object.value?.id
    while (ask.wanted() && id !== undefined && object.value?.id === id) {
      if (busy.value) {
        await until_(busy).toBe(false)
        continue
      }
      const about = ask.about ?? w.asked()
      const edits = [...(about.edits ?? [])]
      if (ask.set) edits.push({ name: 'set', arguments: { ...ask.set } })
      const request = {
        params: { path: { object_id: id } },
        headers: { Accept: PACKED },
        parseAs: 'arrayBuffer' as const,
        body: {
          has: held(),
          ...about,
          edits,
          ticket: ++ticket,
          client,
          resolution: ask.size,
          ahead: false,
          until: ask.until === undefined ? until.value : ask.until,
          look: { ...(ask.look ?? look.value) },
          selected: '',
          pictures: false,
          bases: false,
          relief: false,
        },
      }
      clearTimeout(idle)
      const { data, error, response } = await (bench.value !== 'weather' && !ask.about
        ? api.POST('/api/objects/{object_id}/look', request)
        : api.POST('/api/objects/{object_id}/evaluate', request))
      if (data) return unpack<Evaluation>(data, true)
      if (response.status !== 409) throw new Error(messageOf(error))
    }
    return undefined
  }

  /** Finer tiles of what the view shows; undefined where they are not `wanted` any more. The view goes first. */
  async function closeUp(tiles: Tile[], pictures: string[], wanted: () => boolean) {
    const id = object.value?.id
    while (wanted() && id !== undefined && object.value?.id === id) {
      if (busy.value) {
        await until_(busy).toBe(false)
        continue
      }
      clearTimeout(idle)
      const { data, error, response } = await askedOn((about) =>
        api.POST('/api/objects/{object_id}/close-up', {
          params: { path: { object_id: id } },
          headers: { Accept: PACKED },
          parseAs: 'arrayBuffer',
          body: {
            ...about,
            has: held(),
            ticket: ++ticket,
            client,
            density: tiles[0].density,
            resolution: evaluation.value?.resolution ?? size.value,
            tiles: tiles.map(({ page, x, y }) => ({ page, x, y })),
            pictures,
            until: until.value,
            ...(look.value.kind === 'lit' ? {} : { look: look.value }),
          },
        }),
      )
      if (data) {
        const answer = unpack<components['schemas']['CloseAnswer']>(data, true)
        const found = await Promise.all(
          answer.tiles.map(async ({ pictures: named, ...place }): Promise<[Tile, Map<string, Uint8Array>]> => {
            const bytes = await Promise.all(
              Object.entries(named).map(async ([name, hash]): Promise<[string, Uint8Array]> => [
                name,
                await mapBytes(hash),
              ]),
            )
            return [{ ...place, density: answer.density }, new Map(bytes)]
          }),
        )
        return { texel_mm: answer.texel_mm, tiles: found }
      }
      if (response.status !== 409) throw new Error(messageOf(error))
    }
    return undefined
  }

  const full = () => evaluate({ size: size.value, pictures: true })
  /** After an edit: the surface as sharp as it is at rest first, then the small pictures, which take as long again. */
  function sharp() {
    evaluate({ size: size.value, pictures: false })
    climbing = [{ size: size.value, pictures: true }]
  }
  /** When an object is opened: something at once, then sharper. */
  function climb() {
    pace.anew(object.value?.id ?? 0)
    const steps = [256, 512].filter((step) => step < size.value).map((step) => ({ size: step, pictures: false }))
    if (bench.value !== 'weather' || !steps.length) return full()
    const [first, ...rest] = steps
    evaluate(first)
    climbing = [...rest, { size: size.value, pictures: true }]
  }
  /** What it looked like when it was last at rest, if nothing changed since; false where nothing is kept. */
  async function showLast(id: number, version: number): Promise<boolean> {
    const { data } = await api.GET('/api/objects/{object_id}/last-view', {
      params: { path: { object_id: id } },
      headers: { Accept: PACKED },
      parseAs: 'arrayBuffer',
    })
    if (!data?.byteLength || object.value?.id !== id || w.versionNow() !== version || evaluation.value) return false
    evaluation.value = markRaw(unpack<Evaluation>(data))
    return true
  }
  /** The true surface at once, the small pictures when the hand rests: while one stroke follows another. */
  const resting = new Plan('small pictures')
  function lightly() {
    evaluate({ size: size.value, pictures: false })
    resting.after(1200, full)
  }
  /** While a control is being moved. */
  function preview() {
    if (s.probing.value) return
    if (waiting && !waiting.drag) return
    evaluate({ size: pace.size(size.value), pictures: false, drag: true })
  }

  function before(id: string): string | null {
    const layers = scene.value?.layers ?? []
    const k = layers.findIndex((l) => l.id === id)
    if (k < 0) return until.value
    return k === 0 ? '' : layers[k - 1].id
  }

  /** The Object stage and the others look at different things. */
  function serve(what: 'weather' | 'object' | 'base') {
    if (bench.value === what) return
    bench.value = what
    look.value = { ...LIT }
    pinned.value = false
    evaluation.value = undefined
    full()
  }

  function show(wanted: Partial<Look>) {
    look.value = { ...LIT, ...wanted }
    full()
  }
  function select(id: string) {
    if (selectedId.value === id && !selectedEpisode.value) return
    selectedEpisode.value = ''
    selectedId.value = id
    selectedTerm.value = -1
    const ofLayer = ['mask', 'acted'].includes(look.value.kind)
    if (!pinned.value && ofLayer) look.value = { ...LIT, kind: look.value.kind, layer: id }
    else if (!pinned.value && look.value.kind === 'term') look.value = { ...LIT }
    full()
  }
  function selectEpisode(id: string) {
    if (selectedEpisode.value === id) return
    selectedEpisode.value = id
    selectedTerm.value = -1
    if (!pinned.value && ['mask', 'acted', 'term'].includes(look.value.kind)) look.value = { ...LIT }
    full()
  }
  /** Another base is worked on, or it lies by a mask now, or no more. */
  function selectBase(number: number) {
    if (s.maskedBase.value === number) return
    s.maskedBase.value = number
    selectedTerm.value = -1
    if (!pinned.value && ['mask', 'term'].includes(look.value.kind)) look.value = { ...LIT }
    if (bench.value === 'base') full()
  }
  function playTo(id: string | null) {
    if (until.value === id) return
    until.value = id
    preview()
  }
  function peek(on: boolean) {
    if (peeking.value === on || !selectedId.value) return
    peeking.value = on
    full()
  }

  const today = computed(() => Number(scene.value?.setting.years ?? 10))
  /** Look at the surface in a year; null: today. While it is dragged nothing is saved. */
  function goToYear(year: number | null, keep: boolean) {
    if (!scene.value) return
    scene.value.year = year === null || year >= today.value ? null : Number(Math.max(0, year).toFixed(2))
    if (keep) void w.commit(scene.value.year === null ? 'Back to today' : `Age ${scene.value.year} years`)
    else preview()
  }

  return {
    askedOn,
    aside,
    closeUp,
    full,
    sharp,
    climb,
    showLast,
    lightly,
    preview,
    serve,
    show,
    select,
    selectEpisode,
    selectBase,
    playTo,
    peek,
    today,
    goToYear,
  }
}
