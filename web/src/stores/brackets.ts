import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { isNothing, put, type Values } from '../api/difference'
import type { Evaluation, FieldSchema } from '../api/scene'
import { during } from '../rest'
import { useWork } from './work'
import { NARROWEST, setting, valuesOf, WIDEST, worded, type Axis } from './bracketAxis'

/** One of the values tried: what it sets, and how the view looks with it. */
export interface Cell {
  row: number
  column: number
  values: number[]
  words: string
  now: boolean
  picture: string
  /** Texels along a side of the newest picture; 0 before there is one. */
  size: number
}
/** Small pictures first, then sharper ones. */
const SIZES = [256, 512]

/**
 * A number tried on both sides of what it is, seen from one camera; or two at once. Opened from any number of the
 * document. What is tried is evaluated one after the other, from the middle outwards, and gives way to whatever the
 * view itself asks for.
 */
export const useBrackets = defineStore('brackets', () => {
  const work = useWork()
  const axes = ref<Axis[]>([])
  const count = ref<3 | 5 | 9>(5)
  /** The next number that is asked for becomes the second one. */
  const awaits = ref(false)
  const cells = ref<Cell[]>([])
  const chosen = ref(-1)
  const wrong = ref('')
  /** How a picture of an answer is taken: the view that is open says so. */
  const camera =
    shallowRef<(found: Pick<Evaluation, 'maps' | 'look'>, width: number, height: number) => Promise<string>>()
  let run = 0

  const open = computed(() => axes.value.length > 0)
  const columns = computed(() => new Set(cells.value.map((c) => c.column)).size)
  const rows = computed(() => new Set(cells.value.map((c) => c.row)).size)

  /** Try a number. `set` puts a value where the control would put it. */
  function begin(field: FieldSchema, title: string, now: number, set: (value: number) => void) {
    const addresses = addressesOf(field, now, set)
    if (!addresses.length) {
      work.notice = 'This number is no part of the document: there is nothing to see by it.'
      return
    }
    const axis: Axis = { title, field, addresses, now, middle: now, spread: 0.25 }
    const same = axes.value[0]?.addresses.join() === addresses.join()
    axes.value = awaits.value && axes.value.length === 1 && !same ? [axes.value[0], axis] : [axis]
    // Nine pictures of two numbers are as many as one takes in.
    if (axes.value.length > 1) count.value = 3
    awaits.value = false
    tried()
  }
  /** What a control sets: it is moved and put back, unseen, and what differs in between is what it sets. */
  function addressesOf(field: FieldSchema, now: number, set: (value: number) => void): string[] {
    const { minimum = -Infinity, maximum = Infinity } = field
    const other = now + 1 <= maximum ? now + 1 : now - 1 >= minimum ? now - 1 : now === minimum ? maximum : minimum
    const found = work.probed(
      () => set(other),
      () => set(now),
    )
    return isNothing(found) ? [] : Object.keys(found.values).filter((address) => found.values[address] === other)
  }

  function tried() {
    const [first, second] = axes.value
    const across = valuesOf(first, count.value)
    const down = second ? valuesOf(second, Math.min(count.value, 5)) : [NaN]
    const before = new Map(cells.value.map((c) => [c.words, c]))
    cells.value = down.flatMap((y, row) =>
      across.map((x, column): Cell => {
        const words = second ? `${worded(first, x)}, ${worded(second, y)}` : worded(first, x)
        const old = before.get(words)
        return {
          row,
          column,
          values: second ? [x, y] : [x],
          words,
          now: x === first.now && (!second || y === second.now),
          picture: old?.picture ?? '',
          size: 0,
        }
      }),
    )
    chosen.value = cells.value.findIndex(
      (c) => c.values[0] === first.middle && (!second || c.values[1] === second.middle),
    )
    void draw()
  }
  const sets = (cell: Cell): Values => {
    const all = cell.values.map((value, k) => setting(axes.value[k], value).values)
    return { values: Object.assign({}, ...all), drop: [] }
  }

  async function draw() {
    const mine = ++run
    wrong.value = ''
    const mid = cells.value[chosen.value] ?? cells.value[0]
    const away = (c: Cell) => Math.abs(c.column - mid.column) + Math.abs(c.row - mid.row)
    const order = [...cells.value].sort((a, b) => away(a) - away(b))
    const over = new Set(cells.value)
    await during(
      'a bracket',
      (async () => {
        for (const size of SIZES.filter((s, k) => k === 0 || s <= work.size))
          for (const cell of order) {
            if (mine !== run || !over.has(cell)) return
            try {
              const found = await work.aside({ set: sets(cell), size, wanted: () => mine === run })
              if (mine !== run || !found || !camera.value) return
              cell.picture = await camera.value(found, 240, 150)
              cell.size = size
            } catch (error) {
              if (mine === run) wrong.value = error instanceof Error ? error.message : 'The values could not be tried.'
              return
            }
          }
      })(),
    )
  }

  function take(k = chosen.value) {
    const cell = cells.value[k]
    if (!cell) return
    const title = axes.value.map((a) => a.title).join(' and ')
    const values = sets(cell)
    const unchanged = cell.now
    leave()
    if (unchanged || !work.scene) return
    put(work.scene, values)
    void work.commit(`${title}: ${cell.words}`)
  }
  function leave() {
    if (!open.value) return
    run++
    axes.value = []
    cells.value = []
    awaits.value = false
    // The newest question of a page ends an older one that is still worked on.
    work.sharp()
  }
  /** Round what is chosen, half as wide or twice. */
  function narrow(by: number) {
    const cell = cells.value[chosen.value]
    axes.value = axes.value.map((axis, k) => ({
      ...axis,
      middle: cell ? cell.values[k] : axis.middle,
      spread: Math.min(WIDEST, Math.max(NARROWEST, axis.spread * by)),
    }))
    tried()
  }
  function show(number: 3 | 5 | 9) {
    count.value = number
    tried()
  }
  function step(across: number, down: number) {
    const at = cells.value[chosen.value]
    const next = cells.value.findIndex((c) => at && c.column === at.column + across && c.row === at.row + down)
    if (next >= 0) chosen.value = next
  }
  // Anything that changes the document or the object ends it: it would show what is no longer so.
  watch(
    () => [work.object?.id, work.version?.version],
    () => {
      if (!open.value) return
      run++
      axes.value = []
      cells.value = []
      awaits.value = false
    },
  )
  /** The camera was moved: the same values, seen from where it stands now. */
  const anew = () => open.value && void draw()

  return {
    axes,
    count,
    awaits,
    cells,
    chosen,
    wrong,
    camera,
    open,
    columns,
    rows,
    begin,
    take,
    leave,
    narrow,
    show,
    step,
    anew,
  }
})
