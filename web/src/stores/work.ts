import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, markRaw, ref, shallowRef, toRaw } from 'vue'
import { api, messageOf } from '../api/client'
import { fieldsOf } from '../api/scene'
import type {
  Catalogue,
  Entry,
  Episode,
  Evaluation,
  Facts,
  Job,
  Layer,
  Look,
  ObjectOut,
  Project,
  Recipe,
  Scene,
  Term,
  VersionOut,
} from '../api/scene'

/** Sizes that the view works with: while a control is dragged, and at rest. */
export const DRAG_SIZE = 512
export type Size = number

const client = Math.random().toString(36).slice(2)
const copy = <T>(value: T): T => JSON.parse(JSON.stringify(toRaw(value)))
const LIT: Look = { kind: 'lit', name: '', component: '', size_mm: 0, layer: '', index: 0 }

/** The object being worked on: its scene, its history, and what the view shows of it. */
export const useWork = defineStore('work', () => {
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
  /** Edits on their way to the server. */
  const unsaved = ref(0)
  const saving = computed(() => unsaved.value > 0)
  const busy = ref(false)
  const measuring = shallowRef<Job>()
  const trouble = ref('')
  /** The demo's user signs in by itself, so signing out would do nothing. */
  const demo = ref(true)
  const notice = ref('')

  /** How many strokes are in the scene that is asked for, and in the one that is shown. */
  const wantsMarks = ref(0)
  const marks = ref(0)

  const selected = computed<Layer | undefined>(() => scene.value?.layers.find((l) => l.id === selectedId.value))
  const episode = computed(() => scene.value?.episodes.find((e) => e.id === selectedEpisode.value))
  /** What the recipe that is open belongs to, as questions name it. */
  const focus = computed(() => (selectedEpisode.value ? `episode:${selectedEpisode.value}` : selectedId.value))
  const outcome = computed(() => new Map((evaluation.value?.layers ?? []).map((l) => [l.id, l])))
  const effects = computed(() => new Map((catalogue.value?.effects ?? []).map((e) => [e.kind, e])))
  const sources = computed(() => new Map((catalogue.value?.sources ?? []).map((s) => [s.kind, s])))
  const facts = computed(() => object.value?.facts as unknown as Facts | undefined)
  const parts = computed(() => (facts.value?.parts ?? []).map((p) => p.name))

  // ---- evaluation: one request under way, one waiting; the newest wins --------------------------------------------------
  let ticket = 0
  let underWay = false
  let waiting: { size: number; pictures: boolean } | undefined

  function evaluate(wanted: { size: number; pictures: boolean }) {
    if (underWay) {
      waiting = wanted
      return
    }
    void run(wanted)
  }

  async function run(wanted: { size: number; pictures: boolean }) {
    const item = object.value
    if (!item || !scene.value) return
    if (bench.value !== 'weather' ? !facts.value?.uv.present : item.readings === 'missing') return
    underWay = true
    busy.value = true
    const number = ++ticket
    let again = false
    try {
      const serves = bench.value
      const carried = wantsMarks.value
      const request = {
        params: { path: { object_id: item.id } },
        body: {
          ticket: number,
          client,
          document: copy(scene.value) as unknown as Record<string, never>,
          resolution: wanted.size,
          until: peeking.value ? before(selectedId.value) : until.value,
          look: peeking.value ? { ...LIT } : { ...look.value },
          selected: focus.value,
          pictures: wanted.pictures,
          bases: serves === 'base' && wanted.pictures,
          relief: wantsRelief.value,
        },
      }
      const { data, error, response } =
        serves !== 'weather'
          ? await api.POST('/api/objects/{object_id}/look', request)
          : await api.POST('/api/objects/{object_id}/evaluate', request)
      if (serves !== bench.value) {
        again = true
        return
      }
      if (item.id !== object.value?.id) return
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
        marks.value = carried
        trouble.value = ''
        if (object.value && data.readings !== object.value.readings)
          object.value = { ...object.value, readings: data.readings }
      } else if (response.status === 422 && look.value.kind !== 'lit' && !waiting) {
        // What was looked through is gone (its layer was removed or switched off): show the surface again.
        look.value = { ...LIT }
        pinned.value = false
        again = true
      } else if (response.status !== 409) trouble.value = messageOf(error)
    } catch (error) {
      trouble.value = messageOf(error instanceof TypeError ? undefined : error)
    } finally {
      underWay = false
      busy.value = false
      const next = waiting ?? (again ? wanted : undefined)
      waiting = undefined
      if (next) evaluate(next)
    }
  }

  const full = () => evaluate({ size: size.value, pictures: true })
  /** The true surface at once, the small pictures when the hand rests: while one stroke follows another. */
  let resting: ReturnType<typeof setTimeout> | undefined
  function lightly() {
    evaluate({ size: size.value, pictures: false })
    clearTimeout(resting)
    resting = setTimeout(full, 1200)
  }
  /** While a control is being moved. */
  function preview() {
    if (waiting?.pictures) return
    evaluate({ size: Math.min(DRAG_SIZE, size.value), pictures: false })
  }

  function before(id: string): string | null {
    const layers = scene.value?.layers ?? []
    const k = layers.findIndex((l) => l.id === id)
    if (k < 0) return until.value
    return k === 0 ? '' : layers[k - 1].id
  }

  /** Documents of older versions have no episodes and no years. */
  function whole(document: Scene): Scene {
    document.episodes ??= []
    document.year ??= null
    for (const layer of document.layers) {
      layer.episode ??= ''
      layer.since ??= 0
      layer.fixed ??= false
    }
    return document
  }

  // ---- history ---------------------------------------------------------------------------------------------------------
  function take(found: VersionOut) {
    reading++
    version.value = found
    scene.value = whole(copy(found.document) as unknown as Scene)
    if (!scene.value.layers.some((l) => l.id === selectedId.value))
      selectedId.value = scene.value.layers.at(-1)?.id ?? ''
    const stands = JSON.stringify([scene.value.object, scene.value.setting])
    if (stood && stands !== stood) void refresh()
    stood = stands
    if (until.value && !scene.value.layers.some((l) => l.id === until.value)) until.value = null
    if (!scene.value.episodes.some((e) => e.id === selectedEpisode.value)) selectedEpisode.value = ''
    selectedTerm.value = Math.min(selectedTerm.value, (selected.value?.where.terms.length ?? 0) - 1)
  }

  /** The object and its setting as they were last: when they change, facts and readings are asked for again. */
  let stood = ''

  /** Change what the object is or where it stands; facts and readings follow once it is saved. */
  async function editObject(label: string, change: (scene: Scene) => void) {
    if (!scene.value) return
    change(scene.value)
    stood = JSON.stringify([scene.value.object, scene.value.setting])
    await commit(label)
    await refresh()
  }

  /** Facts, shape and readings of the object as it is saved now; measures where they are missing or out of date. */
  async function refresh() {
    const id = object.value?.id
    if (!id) return
    await saved()
    const { data, error } = await api.GET('/api/objects/{object_id}', { params: { path: { object_id: id } } })
    if (object.value?.id !== id) return
    if (!data) {
      trouble.value = messageOf(error)
      return
    }
    object.value = data
    await fit(data.diagonal_m)
    full()
    if (!['good', 'fine'].includes(data.readings)) void measure()
  }

  let queue: Promise<unknown> = Promise.resolve()
  /** Requests that change the scene go one after the other, so that each knows the version it is made on. */
  function inOrder<T>(work: () => Promise<T>): Promise<T> {
    const result = queue.then(work, work)
    queue = result.catch(() => undefined)
    return result
  }

  /** Resolves when every edit made so far is saved. */
  const saved = () => queue.then(() => undefined)

  /**
   * Counts the times that a scene came from the server. Edits stand on each other only within one reading: a document that was made on
   * an older one is never sent, or it would write over what somebody else did meanwhile.
   */
  let reading = 0

  /** Save what `scene` holds now as a new version. */
  function commit(label: string, light = false) {
    if (light) lightly()
    else full()
    const item = object.value
    const document = copy(scene.value)
    const madeOn = reading
    unsaved.value++
    return inOrder(async () => {
      try {
        if (!item || !version.value || item.id !== object.value?.id) return
        if (madeOn !== reading) {
          notice.value = `'${label}' was not saved: the scene was changed in another window just before. Make it again.`
          return
        }
        const { data, error, response } = await api.PUT('/api/objects/{object_id}/scene', {
          params: { path: { object_id: item.id } },
          body: { base: version.value.version, document: document as unknown as Record<string, never>, label },
        })
        if (item.id !== object.value?.id) return
        if (data) {
          // The document here may be newer already (another control was moved meanwhile): keep it.
          version.value = data
          trouble.value = ''
        } else if (response.status === 409 && error && 'scene' in error) {
          // The refusal brings the newest scene along: nothing is asked for, nothing is waited for.
          notice.value = error.message
          take(error.scene)
          full()
        } else {
          trouble.value = messageOf(error)
          await reload()
        }
      } catch {
        trouble.value =
          'Not saved: the server did not answer. Check that it is running; your next edit saves this one too.'
      } finally {
        unsaved.value--
      }
    })
  }

  /** Change the scene in one step and save it. */
  function edit(label: string, change: (scene: Scene) => void, light = false) {
    if (!scene.value) return
    change(scene.value)
    void commit(label, light)
  }

  function step(direction: 'undo' | 'redo') {
    return inOrder(async () => {
      if (!object.value || !version.value) return
      const { data, error, response } = await api.POST(
        direction === 'undo' ? '/api/objects/{object_id}/undo' : '/api/objects/{object_id}/redo',
        {
          params: { path: { object_id: object.value.id } },
          body: { base: version.value.version },
        },
      )
      if (data) take(data)
      else if (response.status === 409 && error && 'scene' in error) {
        notice.value = error.message
        take(error.scene)
      } else trouble.value = messageOf(error)
      full()
    })
  }

  /** The scene as it is saved now; where the object or its setting changed, what follows from them is asked for again. */
  async function reload() {
    const id = object.value?.id
    if (!id) return
    const { data } = await api.GET('/api/objects/{object_id}/scene', { params: { path: { object_id: id } } })
    if (!data || object.value?.id !== id) return
    take(data)
    full()
  }

  // ---- opening ---------------------------------------------------------------------------------------------------------
  async function start() {
    const [first, session] = await Promise.all([
      api.GET('/api/projects'),
      api.GET('/api/session'),
      catalogue.value ? undefined : fit(1),
    ])
    demo.value = session.data?.demo ?? demo.value
    if (first.data) projects.value = first.data
    if (!first.data) trouble.value = messageOf(first.error)
  }

  let fitted = 0
  /** The catalogue with defaults that suit an object of this size in metres. */
  async function fit(size: number) {
    if (size === fitted) return
    const { data } = await api.GET('/api/catalogue', { params: { query: { size_m: size } } })
    if (!data) return
    fitted = size
    catalogue.value = data as Catalogue
  }

  async function open(id: number): Promise<boolean> {
    if (object.value?.id === id) return true
    if (!catalogue.value) await start()
    const { data, error, response } = await api.GET('/api/objects/{object_id}', { params: { path: { object_id: id } } })
    if (!data) {
      trouble.value = response.status === 404 ? 'This object does not exist any more.' : messageOf(error)
      return false
    }
    await fit(data.diagonal_m)
    evaluation.value = undefined
    stood = ''
    object.value = data
    localStorage.setItem('limus.object', String(id))
    look.value = { ...LIT }
    until.value = null
    selectedId.value = ''
    selectedTerm.value = -1
    take(data.scene)
    if (!['good', 'fine'].includes(data.readings)) void measure()
    full()
    return true
  }

  /** Vertex colours were painted on an object that had none. */
  function colouredNow() {
    if (!object.value?.missing_readings.vertex_colour) return
    const missing = { ...object.value.missing_readings }
    delete missing.vertex_colour
    object.value = { ...object.value, missing_readings: missing }
  }

  /** The object was removed. */
  function forget(id: number) {
    if (object.value?.id !== id) return
    object.value = undefined
    scene.value = undefined
    version.value = undefined
    evaluation.value = undefined
  }

  let measurement = 0
  async function measure(quality: 'good' | 'fine' = 'good') {
    const item = object.value
    if (!item || !facts.value?.uv.present) return
    const mine = ++measurement
    await saved()
    const { data } = await api.POST('/api/objects/{object_id}/jobs', {
      params: { path: { object_id: item.id } },
      body: { kind: 'measure', quality, target: 'gltf', resolution: 1024, bits: 8 },
    })
    let job = data
    let drafted = item.readings !== 'missing' && item.readings !== 'outdated'
    while (job && (job.state === 'queued' || job.state === 'running') && object.value?.id === item.id) {
      if (mine !== measurement) return
      measuring.value = job
      await new Promise((go) => setTimeout(go, 400))
      job = (await api.GET('/api/jobs/{job_id}', { params: { path: { job_id: job.id } } })).data
      if (!drafted && (job?.progress ?? 0) >= 0.1) {
        drafted = true
        object.value = { ...object.value, readings: 'draft' }
        full()
      }
    }
    if (mine !== measurement) return
    measuring.value = undefined
    if (object.value?.id !== item.id) return
    if (job?.state === 'done') {
      object.value = { ...object.value, readings: quality }
      full()
    } else if (job?.state === 'failed') trouble.value = job.error
    else if (job?.state === 'cancelled') notice.value = 'Measuring was cancelled. Measure again in the Object stage.'
  }

  /** Start long work and follow it to its end. */
  async function follow(job: Job | undefined, say: (job: Job) => void): Promise<Job | undefined> {
    while (job && (job.state === 'queued' || job.state === 'running')) {
      say(job)
      await new Promise((go) => setTimeout(go, 300))
      job = (await api.GET('/api/jobs/{job_id}', { params: { path: { job_id: job.id } } })).data
    }
    return job
  }

  async function cancelMeasuring() {
    if (measuring.value)
      await api.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: measuring.value.id } } })
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

  // ---- looking ---------------------------------------------------------------------------------------------------------
  function show(wanted: Partial<Look>) {
    look.value = { ...LIT, ...wanted }
    full()
  }
  function select(id: string) {
    if (selectedId.value === id && !selectedEpisode.value) return
    selectedEpisode.value = ''
    selectedId.value = id
    selectedTerm.value = -1
    if (!pinned.value && look.value.kind === 'mask') look.value = { ...LIT, kind: 'mask', layer: id }
    else if (!pinned.value && look.value.kind === 'term') look.value = { ...LIT }
    full()
  }
  function selectEpisode(id: string) {
    if (selectedEpisode.value === id) return
    selectedEpisode.value = id
    selectedTerm.value = -1
    if (!pinned.value && ['mask', 'term'].includes(look.value.kind)) look.value = { ...LIT }
    full()
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

  // ---- lines of recipes ------------------------------------------------------------------------------------------------
  /** A new line with a source's defaults. */
  function freshTerm(kind: string, fields: Record<string, unknown> = {}): Term {
    const source = sources.value.get(kind)!
    const shaping = Object.fromEntries(
      fieldsOf(catalogue.value!.term).map(([name, field]) => [name, field.default ?? null]),
    ) as unknown as Term
    return {
      ...copy(shaping),
      source: { ...copy(source.defaults), kind, ...fields } as Term['source'],
      low: source.low,
      high: source.high,
      link: '',
    }
  }
  const standing = new Set(['combine', 'amount', 'muted', 'solo'])
  /** Lines with the same link are the same line: what changed in one changes in all. */
  function syncLinks(term: Term | undefined) {
    if (!term?.link || !scene.value) return
    const body = Object.fromEntries(Object.entries(term).filter(([name]) => !standing.has(name)))
    for (const layer of scene.value.layers)
      for (const other of layer.where.terms)
        if (other !== term && other.link === term.link) Object.assign(other, copy(body))
  }
  function linkedLayers(link: string): string[] {
    return (scene.value?.layers ?? []).filter((l) => l.where.terms.some((t) => t.link === link)).map((l) => l.name)
  }
  /** Put a copy of a line into another layer; linked, one edit serves both. */
  function sendTerm(term: Term, to: string, linked: boolean) {
    edit(linked ? 'Link line' : 'Copy line', (now) => {
      const there = now.layers.find((l) => l.id === to)
      if (!there) return
      if (linked && !term.link) {
        const taken = new Set(now.layers.flatMap((l) => l.where.terms.map((t) => t.link)))
        let k = 1
        while (taken.has(`line-${k}`)) k++
        term.link = `line-${k}`
      }
      there.where.terms.push({ ...copy(term), link: linked ? term.link : '' })
    })
    notice.value = `${linked ? 'Linked to' : 'Copied to'} ${scene.value?.layers.find((l) => l.id === to)?.name}.`
  }
  function unlink(term: Term) {
    edit('Unlink line', (now) => {
      const { link } = term
      term.link = ''
      // A link of one is none.
      const left = now.layers.flatMap((l) => l.where.terms).filter((t) => t.link === link)
      if (left.length === 1) left[0].link = ''
    })
  }

  // ---- layers ----------------------------------------------------------------------------------------------------------
  function freshId(kind: string): string {
    const taken = new Set(scene.value?.layers.map((l) => l.id))
    for (let k = 1; ; k++) {
      const id = k === 1 ? kind : `${kind}-${k}`
      if (!taken.has(id)) return id
    }
  }
  /** A new layer has the age of the place it stands in. */
  const aged = (effect: Entry) =>
    'years' in (effect.defaults ?? {}) ? { years: Number(scene.value?.setting.years ?? 10) } : {}
  function addLayer(effect: Entry, more: Partial<Layer> = {}) {
    edit(`Add ${effect.title.toLowerCase()}`, (now) => {
      const id = freshId(effect.kind)
      const same = now.layers.filter((l) => l.effect.kind === effect.kind).length
      now.layers.push({
        id,
        name: same ? `${effect.title} ${same + 1}` : effect.title,
        on: true,
        effect: { ...copy(effect.defaults), ...aged(effect), kind: effect.kind },
        where: copy(effect.where) as unknown as Recipe,
        strength: 1,
        channels: {},
        episode: '',
        since: 0,
        fixed: false,
        ...more,
      })
      selectedEpisode.value = ''
      selectedId.value = id
      selectedTerm.value = -1
      until.value = null
    })
  }
  function duplicateLayer(id: string) {
    edit('Duplicate layer', (now) => {
      const k = now.layers.findIndex((l) => l.id === id)
      const twin = copy(now.layers[k])
      twin.id = freshId(twin.effect.kind)
      twin.name = `${twin.name} copy`.slice(0, 80)
      now.layers.splice(k + 1, 0, twin)
      selectedId.value = twin.id
    })
  }
  /** Lines of recipes that look at a layer, so that nothing is left pointing at nothing. */
  function referring(id: string): string[] {
    return (scene.value?.layers ?? [])
      .filter(
        (l) =>
          l.id !== id &&
          l.where.terms.some(
            (t) => String((t.source.kind === 'exposed' ? t.source.what : t.source.layer) ?? '').split('/')[0] === id,
          ),
      )
      .map((l) => l.name)
  }
  function removeLayer(id: string) {
    const users = referring(id)
    if (users.length) {
      notice.value = `${users.join(', ')} has a line that looks at this layer. Change that line first, then remove the layer.`
      return
    }
    edit('Remove layer', (now) => {
      const k = now.layers.findIndex((l) => l.id === id)
      now.layers.splice(k, 1)
      if (selectedId.value === id) selectedId.value = now.layers[Math.min(k, now.layers.length - 1)]?.id ?? ''
      if (until.value === id) until.value = null
    })
  }
  function switchLayer(id: string, on: boolean) {
    edit(on ? 'Switch on' : 'Switch off', (now) => (now.layers.find((l) => l.id === id)!.on = on))
  }
  function moveLayer(id: string, to: number) {
    const layers = scene.value?.layers ?? []
    const from = layers.findIndex((l) => l.id === id)
    if (to < 0 || to >= layers.length || from === to) return
    edit('Move layer', (now) => {
      now.layers.splice(to, 0, ...now.layers.splice(from, 1))
      settle(now)
    })
  }

  // ---- episodes --------------------------------------------------------------------------------------------------------
  /** After layers were moved: one between two of an episode belongs to it, one that has left its episode does not, and empty ones go. */
  function settle(now: Scene) {
    const { layers } = now
    layers.forEach((layer, k) => {
      const [before, after] = [layers[k - 1]?.episode ?? '', layers[k + 1]?.episode ?? '']
      if (before && before === after) layer.episode = before
    })
    // Of an episode that came apart the longest run stays.
    for (const { id } of now.episodes) {
      const runs: Layer[][] = []
      layers.forEach((layer, k) => {
        if (layer.episode !== id) return
        if (layers[k - 1]?.episode === id) runs.at(-1)!.push(layer)
        else runs.push([layer])
      })
      const longest = runs.reduce<Layer[]>((best, run) => (run.length > best.length ? run : best), [])
      for (const run of runs) if (run !== longest) run.forEach((layer) => (layer.episode = ''))
    }
    now.episodes = now.episodes.filter((e) => layers.some((l) => l.episode === e.id))
  }
  function freshEpisode(now: Scene): string {
    const taken = new Set(now.episodes.map((e) => e.id))
    for (let k = 1; ; k++) if (!taken.has(`episode-${k}`)) return `episode-${k}`
  }
  /** A bracket over these layers, which stand next to each other. */
  function gather(ids: string[], name = 'Episode') {
    edit('New episode', (now) => {
      const id = freshEpisode(now)
      now.layers.forEach((l) => ids.includes(l.id) && (l.episode = id))
      now.episodes.push({ id, name, on: true, strength: 1, where: { terms: [], cut: null }, folded: false })
      settle(now)
      selectedEpisode.value = id
    })
  }
  function join(layerId: string, episodeId: string) {
    edit(episodeId ? 'Into episode' : 'Out of episode', (now) => {
      now.layers.find((l) => l.id === layerId)!.episode = episodeId
      settle(now)
    })
  }
  const members = (id: string) => (scene.value?.layers ?? []).filter((l) => l.episode === id)
  function editEpisode(id: string, label: string, change: (episode: Episode) => void) {
    edit(label, (now) => {
      const found = now.episodes.find((e) => e.id === id)
      if (found) change(found)
    })
  }
  /** The bracket goes, its layers stay. */
  function dissolve(id: string) {
    selectedEpisode.value = ''
    edit('Dissolve episode', (now) => {
      now.layers.forEach((l) => l.episode === id && (l.episode = ''))
      now.episodes = now.episodes.filter((e) => e.id !== id)
    })
  }
  function removeEpisode(id: string) {
    const mine = members(id)
    const users = mine.flatMap((l) => referring(l.id)).filter((name) => !mine.some((l) => l.name === name))
    if (users.length) {
      notice.value = `${users.join(', ')} has a line that looks at a layer of this episode. Change that line first.`
      return
    }
    selectedEpisode.value = ''
    edit('Remove episode', (now) => {
      now.layers = now.layers.filter((l) => l.episode !== id)
      now.episodes = now.episodes.filter((e) => e.id !== id)
      if (!now.layers.some((l) => l.id === selectedId.value)) selectedId.value = now.layers.at(-1)?.id ?? ''
      if (until.value && !now.layers.some((l) => l.id === until.value)) until.value = null
    })
  }
  function duplicateEpisode(id: string) {
    edit('Duplicate episode', (now) => {
      const mine = now.layers.filter((l) => l.episode === id)
      const last = now.layers.indexOf(mine.at(-1)!)
      const twin = copy(now.episodes.find((e) => e.id === id)!)
      twin.id = freshEpisode(now)
      twin.name = `${twin.name} copy`.slice(0, 80)
      const names = new Map<string, string>()
      const taken = new Set(now.layers.map((l) => l.id))
      const twins = mine.map((layer) => {
        const made = copy(layer)
        let k = 2
        while (taken.has(`${layer.effect.kind}-${k}`)) k++
        made.id = `${layer.effect.kind}-${k}`
        taken.add(made.id)
        names.set(layer.id, made.id)
        made.episode = twin.id
        return made
      })
      // Lines among themselves go with them.
      for (const layer of twins)
        for (const term of layer.where.terms) {
          const field = term.source.kind === 'exposed' ? 'what' : 'layer'
          const [name, piece] = String(term.source[field] ?? '').split('/')
          if (names.has(name)) term.source[field] = piece ? `${names.get(name)}/${piece}` : names.get(name)
        }
      now.layers.splice(last + 1, 0, ...twins)
      now.episodes.push(twin)
      selectedEpisode.value = twin.id
    })
  }
  /** Before or after whatever stands next to it, another episode as a whole. */
  function moveEpisode(id: string, by: -1 | 1) {
    const layers = scene.value?.layers ?? []
    const mine = members(id)
    const at = by < 0 ? layers.indexOf(mine[0]) - 1 : layers.indexOf(mine.at(-1)!) + 1
    const next = layers[at]
    if (!next) return
    const group = next.episode ? members(next.episode) : [next]
    edit('Move episode', (now) => {
      const rest = now.layers.filter((l) => l.episode !== id)
      const own = now.layers.filter((l) => l.episode === id)
      const edge = rest.findIndex((l) => l.id === (by < 0 ? group[0] : group.at(-1)!).id)
      rest.splice(by < 0 ? edge : edge + 1, 0, ...own)
      now.layers = rest
    })
  }

  // ---- treatments ------------------------------------------------------------------------------------------------------
  /** Put a treatment of the shelf on this object, in sizes that suit it. */
  async function treat(name: string, title: string): Promise<boolean> {
    if (!object.value || !scene.value) return false
    const { data, error } = await api.POST('/api/objects/{object_id}/treatments/put-on', {
      params: { path: { object_id: object.value.id } },
      body: { name, document: copy(scene.value) as unknown as Record<string, never> },
    })
    if (!data) {
      trouble.value = messageOf(error)
      return false
    }
    const made = data.document as unknown as Scene
    edit(`Treatment: ${title}`, (now) => {
      now.layers = made.layers
      now.episodes = made.episodes
      selectedId.value = data.layers.at(-1) ?? selectedId.value
      selectedEpisode.value = ''
      until.value = null
    })
    if (data.notes.length) notice.value = data.notes.join('. ')
    return true
  }
  async function saveTreatment(name: string, about: string, layers: string[]): Promise<boolean> {
    await saved()
    const { data, error } = await api.POST('/api/objects/{object_id}/treatments', {
      params: { path: { object_id: object.value!.id } },
      body: { name, about, layers },
    })
    if (!data) {
      trouble.value = messageOf(error)
      return false
    }
    notice.value = [`Saved as the treatment '${data.treatment.title}'.`, ...data.notes].join(' ')
    return true
  }

  // ---- years -----------------------------------------------------------------------------------------------------------
  const today = computed(() => Number(scene.value?.setting.years ?? 10))
  /** Look at the surface in a year; null: today. While it is dragged nothing is saved. */
  function goToYear(year: number | null, keep: boolean) {
    if (!scene.value) return
    scene.value.year = year === null || year >= today.value ? null : Number(Math.max(0, year).toFixed(2))
    if (keep) void commit(scene.value.year === null ? 'Back to today' : `Age ${scene.value.year} years`)
    else preview()
  }

  return {
    client, copy,
    projects, catalogue, object, scene, version, evaluation, selectedId, selectedTerm, selected, look, pinned, until, peeking, size,
    wantsRelief, saving, busy, measuring, trouble, demo, notice, outcome, effects, sources, parts, facts, bench,
    start, open, forget, full, preview, commit, saved, edit, step, reload, show, select, playTo, peek, cancelMeasuring, measure, follow, editObject, refresh, serve,
    addLayer, duplicateLayer, removeLayer, moveLayer, switchLayer, settle, gather, join, members, editEpisode, dissolve, removeEpisode, duplicateEpisode, moveEpisode,
    selectedEpisode, episode, focus, selectEpisode, treat, saveTreatment, today, goToYear, freshTerm, syncLinks, linkedLayers, sendTerm, unlink, colouredNow, wantsMarks, marks,
  } // prettier-ignore
})
