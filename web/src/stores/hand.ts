import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, insist, messageOf } from '../api/client'
import { applies, fieldsOf, type Entry, type SentStroke } from '../api/scene'
import { useWork } from './work'

export type Tool = '' | 'paint' | 'fill'
/**
 * What the brush works on: the mask of the selected layer or base, a line of its recipe that measures a distance, or a channel of
 * the vertex colours.
 */
export type Target = 'mask' | 'line' | 'R' | 'G' | 'B' | 'A'
/** Controls of fields that are filled by drawing: the tool, and what it works on. */
export const DRAWN = {
  strokes: { tool: 'paint', target: 'mask' },
  picks: { tool: 'fill', target: 'mask' },
  line: { tool: 'paint', target: 'line' },
} as const
export type Drawn = keyof typeof DRAWN
/** The field of a source that is filled by drawing, with these values of its fields; it is called like its control. */
export const drawnOf = (source: Entry, values: Record<string, unknown>): Drawn | undefined =>
  fieldsOf(source.schema)
    .filter(([, field]) => applies(field, values))
    .map(([, field]) => field.control as Drawn)
    .find((control) => control in DRAWN)
export type MirrorAxis = 'none' | 'x' | 'y' | 'z'
/** x, y, z, facing direction, pressure, tilt and compass direction of the pen; in metres and axes of the view. */
export type Touch = [number, number, number, number, number, number, number, number, number]

export interface DrawnStroke {
  points: Touch[]
  cameraUp: [number, number, number]
}
type Triple = [number, number, number]

/** The artist's hand: which tool it holds, how the brush is set, and what becomes of a stroke. */
export const useHand = defineStore('hand', () => {
  const work = useWork()
  const tool = ref<Tool>('')
  const target = ref<Target>('mask')
  const takes = ref(false)
  const brush = useLocalStorage<Record<string, unknown>>('limus.brush', {})
  const sizeIn = useLocalStorage<'mm' | 'px'>('limus.brush.unit', 'mm')
  const pixels = useLocalStorage('limus.brush.pixels', 60)
  const mirror = useLocalStorage<MirrorAxis>('limus.brush.mirror', 'none')
  const reach = useLocalStorage<'surface' | 'front' | 'through'>('limus.brush.reach', 'surface')
  const facing = useLocalStorage<'surface' | 'camera'>('limus.brush.facing', 'surface')
  const fillWhat = useLocalStorage<'part' | 'island' | 'polygon' | 'connected'>('limus.fill', 'connected')
  const fillAngle = useLocalStorage('limus.fill.angle', 30)
  const usual = computed(() => {
    const fields = (work.catalogue?.brush.properties ?? {}) as Record<string, { default?: unknown }>
    return Object.fromEntries(Object.entries(fields).map(([name, field]) => [name, field.default]))
  })
  const settings = computed<Record<string, unknown>>(() => ({ ...usual.value, ...brush.value }))
  const size = computed(() => Number(settings.value.size_mm ?? 30))
  /** Each mask is painted on with the brush it was painted with the last time. */
  const ofMask = useLocalStorage<Record<string, Record<string, unknown>>>('limus.brush.of', {})
  const mask = computed(() => `${work.object?.id} ${work.inHand?.place}`)
  function use(now: Record<string, unknown>) {
    brush.value = now
    const rest = Object.entries(ofMask.value).filter(([key]) => key !== mask.value)
    ofMask.value = Object.fromEntries([...rest.slice(-60), [mask.value, now]])
  }
  function set(name: string, value: unknown) {
    use({ ...brush.value, [name]: value })
  }
  /** Another brush, of the size that the hand has now. */
  function takeUp(kept: Record<string, unknown>) {
    use({ ...kept, ...(brush.value.size_mm === undefined ? {} : { size_mm: brush.value.size_mm }) })
  }
  /** One's own brushes, kept in this browser. */
  const own = useLocalStorage<{ title: string; settings: Record<string, unknown> }[]>('limus.brushes', [])
  function keepBrush(title: string) {
    const rest = Object.fromEntries(Object.entries(brush.value).filter(([field]) => field !== 'size_mm'))
    own.value = [...own.value.filter((b) => b.title !== title), { title, settings: rest }].slice(-40)
  }
  const dropBrush = (title: string) => (own.value = own.value.filter((b) => b.title !== title))

  const toFile = (v: Triple): Triple => {
    const turn = work.object?.turn ?? [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ]
    const out = [0, 1, 2].map((k) => v[0] * turn[0][k] + v[1] * turn[1][k] + v[2] * turn[2][k])
    return out.map((x) => Number(x.toFixed(7))) as Triple
  }

  /** Keep the strokes of one gesture and put them into the scene as one step. */
  async function keep(strokes: DrawnStroke[], middle: Triple, sizeMm: number, adds: boolean) {
    const item = work.object
    const held = work.inHand
    if (!item || !strokes.length) return
    const wanted = target.value
    const axis = mirror.value === 'none' ? -1 : 'xyz'.indexOf(mirror.value)
    const normal = [0, 1, 2].map((k) => (k === axis ? 1 : 0)) as Triple
    const files: string[] = []
    const gesture = { label: adds ? 'Paint' : 'Paint away', gone: false }
    work.gestures.push(gesture)
    // What the list holds is watched; the one that undo marks is found there.
    const mine = work.gestures.at(-1)!
    const over = () => work.gestures.includes(mine) && work.gestures.splice(work.gestures.indexOf(mine), 1)
    for (const stroke of strokes) {
      const body = {
        version: 1,
        action: adds ? 'add' : 'take',
        brush: { ...settings.value, size_mm: Number(sizeMm.toPrecision(5)) },
        reach: reach.value,
        facing: facing.value,
        camera_up: toFile(stroke.cameraUp),
        mirror: axis < 0 ? null : { normal: toFile(normal), at: middle[axis] },
        scale: item.scale,
        points: stroke.points.map((p) => [
          ...toFile([p[0], p[1], p[2]]),
          ...toFile([p[3], p[4], p[5]]),
          ...p.slice(6).map((x) => Number(x.toFixed(3))),
        ]),
      }
      const { data, error } = await insist(
        () =>
          api.POST('/api/objects/{object_id}/strokes', {
            params: { path: { object_id: item.id } },
            body: { stroke: body as unknown as SentStroke },
          }),
        (why) => (work.kept = why ? { label: 'Paint', why } : undefined),
      )
      if (mine.gone) {
        work.kept = undefined
        work.wantsMarks++
        work.full()
        return
      }
      if (!data) {
        over()
        work.trouble = messageOf(error)
        work.wantsMarks++
        work.full()
        return
      }
      files.push(data.file)
    }
    over()
    if (item.id !== work.object?.id) return
    work.wantsMarks++
    if ('RGBA'.includes(wanted)) {
      await work.run('paint-colours', { channel: wanted, strokes: files }, `Paint vertex colour ${wanted}`, true)
      work.colouredNow()
      lookAtColours()
      return
    }
    if (!held) return
    const place = held.place
    if (wanted === 'line')
      void work.run('draw-line', { place, line: work.selectedTerm, strokes: files }, undefined, true)
    else
      void work.run(
        'paint',
        { place, line: work.selectedTerm, strokes: files, takes: !adds },
        adds ? 'Paint' : 'Paint away',
        true,
      )
  }

  /** Fill what belongs to a place of the surface. */
  function fill(point: Triple, normal: Triple, adds: boolean) {
    const held = work.inHand
    if (!held) return
    const pick = {
      what: fillWhat.value,
      at: toFile(point),
      facing: toFile(normal),
      up_to_deg: fillAngle.value,
      take: !adds,
      scale: work.object?.scale ?? 1,
    }
    void work.run('fill', { place: held.place, line: work.selectedTerm, pick }, adds ? 'Fill' : 'Empty')
  }

  /** Vertex colours are looked through while they are painted, as soon as there are any. */
  function lookAtColours() {
    const colours = work.catalogue?.readings.find((r) => r.painted)?.kind
    if (!colours || work.object?.missing_readings[colours]) return
    const { kind, name, component } = work.look
    if (kind === 'reading' && name === colours && component === target.value) return
    work.show({ kind: 'reading', name: colours, component: target.value })
  }
  function take(what: Tool, on: Target = 'mask') {
    if (what && on === 'mask' && !work.inHand) {
      work.notice =
        work.bench === 'base'
          ? 'Choose a base that lies over the others by a mask first: its mask is what you paint.'
          : 'Choose a layer first: its mask is what you paint.'
      return
    }
    tool.value = what
    target.value = on
    takes.value = false
    if ('RGBA'.includes(on)) lookAtColours()
  }
  function put() {
    if (tool.value && 'RGBA'.includes(target.value)) work.show({ kind: 'lit' })
    tool.value = ''
    target.value = 'mask'
  }
  watch(
    () => `${work.object?.id} ${work.bench}`,
    () => (tool.value = ''),
  )
  watch(mask, (now) => {
    if (target.value === 'line') put()
    if (now in ofMask.value) brush.value = ofMask.value[now]
  })
  return {
    tool, target, takes, brush, sizeIn, pixels, mirror, reach, facing, fillWhat, fillAngle, usual, settings, size,
    set, keep, fill, take, put, toFile,
    own, takeUp, keepBrush, dropBrush, reset: () => use({}),
  } // prettier-ignore
})
