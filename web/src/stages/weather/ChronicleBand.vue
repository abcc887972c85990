<script setup lang="ts">
import { useElementSize, useLocalStorage } from '@vueuse/core'
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import { VueDraggable } from 'vue-draggable-plus'
import type { Episode, Layer } from '../../api/scene'
import { useWork } from '../../stores/work'
import EffectPicker from './EffectPicker.vue'
import EpisodeCard from './EpisodeCard.vue'
import LayerCard from './LayerCard.vue'
import SnapshotMenu from './SnapshotMenu.vue'

/** What happened to the surface, from left to right. The hairline plays the story back: layer by layer, or through the years. */
const work = useWork()
const emit = defineEmits<{ rename: [] }>()
const CARD = 118
const STEP = 126 // a card and its gap
const LEFT = 24

/** One card of the band: a layer, or all layers of an episode that is folded. */
interface Card {
  id: string
  layers: Layer[]
  episode?: Episode
  folded: boolean
}
const cards = ref<Card[]>([])
watch(
  () => [work.scene?.layers, work.scene?.episodes] as const,
  ([layers, episodes]) => {
    const out: Card[] = []
    for (const layer of layers ?? []) {
      const episode = episodes?.find((e) => e.id === layer.episode)
      const last = out.at(-1)
      if (episode?.folded && last?.episode?.id === episode.id) last.layers.push(layer)
      else
        out.push({
          id: episode?.folded ? `episode:${episode.id}` : layer.id,
          layers: [layer],
          episode,
          folded: !!episode?.folded,
        })
    }
    cards.value = out
  },
  { immediate: true, deep: 3 },
)
const layers = computed(() => cards.value.flatMap((c) => c.layers))
const dropped = () => work.orderLayers(layers.value.map((l) => l.id))
/** Brackets above the cards: where each begins, in cards, and how many it spans. */
const brackets = computed(() => {
  const out: { episode: Episode; from: number; span: number }[] = []
  cards.value.forEach((card, k) => {
    if (!card.episode) return
    const last = out.at(-1)
    if (last?.episode.id === card.episode.id && last.from + last.span === k) last.span++
    else out.push({ episode: card.episode, from: k, span: 1 })
  })
  return out
})

const band = ref<HTMLElement>()
const { width } = useElementSize(band)
const scrolled = ref(0)
const count = computed(() => cards.value.length)
const byYears = useLocalStorage('limus.chronicle.years', false)

// ---- the hairline, by layers ------------------------------------------------------------------------------------------------
/** How many cards have happened at the hairline. */
const at = computed(() => {
  if (work.until === null) return count.value
  return work.until === '' ? 0 : cards.value.findIndex((c) => c.layers.some((l) => l.id === work.until)) + 1
})
function goTo(n: number) {
  const k = Math.min(count.value, Math.max(0, n))
  work.playTo(k === count.value ? null : k === 0 ? '' : cards.value[k - 1].layers.at(-1)!.id)
}
// ---- the hairline, by years -------------------------------------------------------------------------------------------------
const year = computed(() => work.scene?.year ?? work.today)
const axis = ref<HTMLElement>()
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
const words = computed(() =>
  byYears.value
    ? yearWord.value
    : at.value === count.value
      ? 'today'
      : at.value === 0
        ? 'as made'
        : `after ${cards.value[at.value - 1].folded ? cards.value[at.value - 1].episode!.name : cards.value[at.value - 1].layers[0].name}`,
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

const picker = ref<InstanceType<typeof EffectPicker>>()
defineExpose({ add: () => picker.value?.open() })
watch(
  () => work.selectedId,
  async () => {
    await nextTick()
    band.value?.querySelector('.card.selected')?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
  },
)
</script>

<template>
  <section class="chronicle" aria-label="Chronicle">
    <div class="head">
      <div
        ref="axis"
        class="axis"
        @pointerdown="grab"
        @pointermove="pull"
        @pointerup="release"
        @pointercancel="release"
      >
        <button type="button" class="muted" @pointerdown.stop @click="toStart">As made</button>
        <i />
        <template v-if="byYears">
          <span v-for="t in ticks" :key="t" class="tick" :style="{ left: `${LEFT + (long * t) / work.today}px` }">
            <b v-if="(long * t) / work.today > 80 && long - (long * t) / work.today > 130">{{ t }}</b>
          </span>
        </template>
        <button type="button" class="muted" @pointerdown.stop @click="toToday">
          {{ byYears ? `Today, ${Number(work.today.toFixed(1))} years` : 'Today' }}
        </button>
      </div>
      <SnapshotMenu />
      <span class="ways">
        <button
          v-tooltip.top="byYears ? 'Let the years go by' : 'Look at it through the years'"
          type="button"
          class="press"
          :aria-pressed="byYears"
          data-testid="by-years"
          @click="((byYears = !byYears), stop())"
        >
          Years
        </button>
        <button
          v-if="byYears"
          type="button"
          class="icon-button"
          :aria-label="playing ? 'Stop the years' : 'Let the years go by'"
          @click="play"
        >
          <i :class="playing ? 'pi pi-pause' : 'pi pi-play'" />
        </button>
        <span v-if="work.scene?.year != null" class="age" data-testid="year">{{ yearWord }}</span>
      </span>
    </div>
    <div ref="band" class="band" @scroll="scrolled = band!.scrollLeft">
      <div class="rows">
        <div class="brackets" :class="{ none: !brackets.length }">
          <button
            v-for="b in brackets"
            :key="b.episode.id"
            type="button"
            class="bracket"
            :class="{ selected: work.selectedEpisode === b.episode.id, off: !b.episode.on }"
            :style="{ left: `${b.from * STEP}px`, width: `${(b.span - 1) * STEP + CARD}px` }"
            :data-episode="b.episode.id"
            :aria-pressed="work.selectedEpisode === b.episode.id"
            @click="work.selectEpisode(b.episode.id)"
            @dblclick="work.fold(b.episode.id, !b.episode.folded)"
          >
            <span class="clip">{{ b.episode.name }}</span>
          </button>
        </div>
        <VueDraggable
          v-model="cards"
          class="cards"
          :animation="120"
          :force-fallback="true"
          :fallback-tolerance="5"
          :delay="0"
          filter=".eye"
          :prevent-on-filter="false"
          ghost-class="ghost"
          @end="dropped"
        >
          <template v-for="(card, k) in cards" :key="card.id">
            <EpisodeCard
              v-if="card.folded"
              :episode="card.episode!"
              :layers="card.layers"
              :later="!byYears && k >= at"
            />
            <LayerCard
              v-else
              :layer="card.layers[0]"
              :index="layers.indexOf(card.layers[0])"
              :count="layers.length"
              :later="byYears ? card.layers[0].since > year : k >= at"
              :quiet="card.episode ? !card.episode.on : false"
              @rename="emit('rename')"
            />
          </template>
        </VueDraggable>
      </div>
      <button type="button" class="next" data-testid="add-layer" @click="picker?.open()">Add what happened next</button>
    </div>
    <div
      v-show="hair > 0 && hair < width + 8"
      class="hair"
      :class="{ short: byYears }"
      :style="{ left: `${hair}px` }"
      role="slider"
      tabindex="0"
      :aria-label="byYears ? 'Year' : 'Moment of the story'"
      :aria-valuenow="byYears ? Number(year.toFixed(1)) : at"
      aria-valuemin="0"
      :aria-valuemax="byYears ? work.today : count"
      :aria-valuetext="words"
      @pointerdown="grab"
      @pointermove="pull"
      @pointerup="release"
      @pointercancel="release"
      @keydown="key"
    />
    <p v-if="!count" class="hint muted">Nothing has happened to it yet. Begin with paint, or let it rust.</p>
    <EffectPicker ref="picker" />
  </section>
</template>

<style scoped>
.chronicle {
  position: relative;
  background: var(--paper);
  border-top: 1px solid var(--line);
  min-width: 0;
}
.head {
  display: flex;
  align-items: center;
  height: 30px;
}
.axis {
  position: relative;
  display: flex;
  flex: 1;
  align-items: center;
  gap: 12px;
  padding: 7px 24px 5px;
  cursor: ew-resize;
  touch-action: none;
}
.axis i {
  flex: 1;
  height: 1px;
  background: var(--line);
}
.tick {
  position: absolute;
  bottom: 3px;
  height: 6px;
  border-left: 1px solid var(--muted);
  pointer-events: none;
}
.tick b {
  position: absolute;
  bottom: 5px;
  transform: translateX(-50%);
  font-weight: 400;
  font-size: 11px;
  color: var(--muted);
  background: var(--paper);
  padding: 0 3px;
}
.ways {
  display: flex;
  align-items: center;
  gap: 6px;
  padding-right: 14px;
}
.age {
  color: var(--oxide);
}
.band {
  display: flex;
  gap: 8px;
  overflow-x: auto;
  padding: 0 24px 8px;
  scrollbar-width: thin;
}
.rows {
  flex: none;
}
.brackets {
  position: relative;
  height: 22px;
}
.brackets.none {
  height: 4px;
}
.bracket {
  position: absolute;
  top: 1px;
  height: 19px;
  padding: 0 8px 2px;
  border: solid var(--muted);
  border-width: 1px 1px 0;
  border-radius: 4px 4px 0 0;
  display: flex;
  align-items: center;
  justify-content: center;
  min-width: 0;
  font-weight: 600;
  font-size: 12px;
}
.bracket:hover {
  background: var(--tint);
}
.bracket.selected {
  border-color: var(--verdigris);
  color: var(--verdigris);
  background: var(--tint);
}
.bracket.off {
  opacity: 0.5;
  border-style: dashed;
}
.cards {
  display: flex;
  gap: 8px;
}
.ghost {
  opacity: 0.35;
}
.next {
  flex: none;
  align-self: flex-end;
  width: 92px;
  min-height: 118px;
  margin-left: 8px;
  border: 1px dashed var(--muted);
  border-radius: 5px;
  color: var(--verdigris);
  font-weight: 600;
  padding: 0 10px;
}
.next:hover {
  background: var(--tint);
}
.hair {
  position: absolute;
  top: 8px;
  bottom: 6px;
  width: 15px;
  margin-left: -7.5px;
  cursor: ew-resize;
  touch-action: none;
  background: linear-gradient(var(--ink), var(--ink)) center / 1.5px 100% no-repeat;
}
.hair.short {
  bottom: auto;
  height: 22px;
}
.hair::before {
  content: '';
  position: absolute;
  left: 2px;
  top: 0;
  border: 5.5px solid transparent;
  border-top: 9px solid var(--ink);
}
.hint {
  position: absolute;
  left: 150px;
  top: 84px;
}
</style>
