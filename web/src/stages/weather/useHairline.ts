import { useElementSize, useLocalStorage } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, type Ref } from 'vue'
import type { Episode, Layer } from '../../api/scene'
import { useWork } from '../../stores/work'

/** Pixels: a card, a card and its gap, and what stands before the first. */
export const CARD = 118
export const STEP = 126
export const LEFT = 24

/** One card of the band: a layer, or all layers of an episode that is folded. */
export interface Card {
  id: string
  layers: Layer[]
  episode?: Episode
  folded: boolean
}

type Place = Ref<HTMLElement | undefined>
/**
 * The hairline of the chronicle: it plays the story back, card by card or through the years. `band` is what the cards
 * scroll in, by `scrolled`; `axis` lies above it.
 */
export function useHairline(cards: Ref<Card[]>, band: Place, axis: Place, scrolled: Ref<number>) {
  const work = useWork()
  const count = computed(() => cards.value.length)
  const byYears = useLocalStorage('limus.chronicle.years', false)

  // ---- the hairline, by layers --------------------------------------------------------------------------------------
  /** How many cards have happened at the hairline. */
  const at = computed(() => {
    if (work.until === null) return count.value
    return work.until === '' ? 0 : cards.value.findIndex((c) => c.layers.some((l) => l.id === work.until)) + 1
  })
  function goTo(n: number) {
    const k = Math.min(count.value, Math.max(0, n))
    work.playTo(k === count.value ? null : k === 0 ? '' : cards.value[k - 1].layers.at(-1)!.id)
  }
  // ---- the hairline, by years ---------------------------------------------------------------------------------------
  const year = computed(() => work.scene?.year ?? work.today)
  const { width: axisWidth } = useElementSize(axis, undefined, { box: 'border-box' })
  const long = computed(() => Math.max(1, axisWidth.value - 2 * LEFT))
  const ticks = computed(() => {
    const step = [1, 2, 5, 10, 20, 50, 100].find((s) => work.today / s <= 12) ?? 100
    return Array.from({ length: Math.floor(work.today / step) + 1 }, (_, k) => k * step)
  })
  const yearWord = computed(() =>
    work.scene?.year === null || work.scene?.year === undefined
      ? 'today'
      : `after ${Number(year.value.toFixed(1))} years`,
  )

  const hair = computed(() =>
    byYears.value
      ? LEFT + (long.value * year.value) / Math.max(work.today, 1e-6)
      : LEFT + at.value * STEP - (at.value > 0 ? 4 : 12) - scrolled.value,
  )
  const dragging = ref(false)
  function pull(event: PointerEvent) {
    if (!dragging.value) return
    const box = band.value!.getBoundingClientRect()
    if (byYears.value) work.goToYear(((event.clientX - box.left - LEFT) / long.value) * work.today, false)
    else goTo(Math.round((event.clientX - box.left + scrolled.value - LEFT) / STEP))
  }
  function grab(event: PointerEvent) {
    stop()
    dragging.value = true
    ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
    pull(event)
  }
  function release() {
    if (!dragging.value) return
    dragging.value = false
    if (byYears.value) work.goToYear(work.scene?.year ?? null, true)
    else work.full()
  }
  function key(event: KeyboardEvent) {
    const now = byYears.value ? year.value : at.value
    const most = byYears.value ? work.today : count.value
    const by = byYears.value ? Math.max(0.5, work.today / 20) : 1
    const to = { ArrowLeft: now - by, ArrowRight: now + by, Home: 0, End: most }[event.key]
    if (to === undefined) return
    event.preventDefault()
    event.stopPropagation()
    if (byYears.value) work.goToYear(to, true)
    else {
      goTo(to)
      work.full()
    }
  }
  const before = () => {
    const card = cards.value[at.value - 1]
    return card.folded ? card.episode!.name : card.layers[0].name
  }
  const words = computed(() =>
    byYears.value
      ? yearWord.value
      : at.value === count.value
        ? 'today'
        : at.value === 0
          ? 'as made'
          : `after ${before()}`,
  )
  /** The years go by, one picture after the other as quickly as they come. */
  const playing = ref(false)
  let timer: ReturnType<typeof setInterval> | undefined
  function play() {
    if (playing.value) {
      stop()
      work.goToYear(work.scene?.year ?? null, true)
      return
    }
    playing.value = true
    let now = work.scene?.year ?? 0
    if (now >= work.today) now = 0
    timer = setInterval(() => {
      if (work.busy) return
      now += work.today / 40
      if (now >= work.today) {
        stop()
        work.goToYear(null, true)
      } else work.goToYear(now, false)
    }, 120)
  }
  function stop() {
    clearInterval(timer)
    playing.value = false
  }
  onBeforeUnmount(stop)

  /** A year dial that stands before today says so in either way of looking. */
  function toStart() {
    if (byYears.value) work.goToYear(0, true)
    else {
      goTo(0)
      work.full()
    }
  }
  function toToday() {
    if (byYears.value) work.goToYear(null, true)
    else {
      goTo(count.value)
      work.full()
    }
  }
  function turn() {
    byYears.value = !byYears.value
    stop()
  }

  return {
    byYears,
    at,
    year,
    ticks,
    yearWord,
    hair,
    words,
    playing,
    long,
    pull,
    grab,
    release,
    key,
    play,
    toStart,
    toToday,
    turn,
  }
}
