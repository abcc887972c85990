<script setup lang="ts">
import { useElementSize, useEventListener } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useWork } from '../stores/work'
import ScaleBar from '../view3d/ScaleBar.vue'
import { usePhotographs, type Point } from '../stores/photographs'

/** The chosen photograph beside the view: moved and zoomed like it, and marked: a region, a scale, a grey card. */
const photos = usePhotographs()
const work = useWork()
const photo = computed(() => photos.chosen!)
const pane = ref<HTMLElement>()
const { width, height } = useElementSize(pane)
/** Screen pixels for one of the photograph, and where its upper left corner lies. */
const zoom = ref(1)
const at = ref<Point>([0, 0])
function whole() {
  zoom.value = Math.min(width.value / photo.value.width, height.value / photo.value.height) * 0.98 || 1
  at.value = [(width.value - photo.value.width * zoom.value) / 2, (height.value - photo.value.height * zoom.value) / 2]
}
let fitted = ''
watch(
  [width, height, () => photos.chosen?.id],
  () => {
    // It was taken down just now.
    if (!photos.chosen) return
    const key = `${photo.value.id} ${Math.round(width.value)} ${Math.round(height.value)}`
    if (width.value && key !== fitted) whole()
    fitted = key
  },
  { immediate: true },
)
function zoomTo(next: number, x: number, y: number) {
  const to = Math.min(40, Math.max(0.01, next))
  at.value = [x - ((x - at.value[0]) * to) / zoom.value, y - ((y - at.value[1]) * to) / zoom.value]
  zoom.value = to
}
function wheel(event: WheelEvent) {
  const box = pane.value!.getBoundingClientRect()
  zoomTo(zoom.value * Math.exp(-event.deltaY * 0.0015), event.clientX - box.left, event.clientY - box.top)
}
/** Millimetres for a pixel of the screen, as the view has them. */
const perPixel = computed(() =>
  photo.value.mm_per_width ? photo.value.mm_per_width / photo.value.width / zoom.value : 0,
)
function sameScale() {
  const wanted = work.sight.perPixel()
  if (wanted > 0 && perPixel.value) zoomTo((zoom.value * perPixel.value) / wanted, width.value / 2, height.value / 2)
}

type Tool = '' | 'box' | 'outline' | 'scale' | 'card'
const tool = ref<Tool>('')
const drawn = ref<Point[]>([])
const length = ref<number | null>(null)
const TOOLS: [Tool, string, string][] = [
  ['box', 'Region', 'Drag a box round what is to be read'],
  ['outline', 'Outline', 'Click corners; Enter or the first corner closes it'],
  ['scale', 'Scale', 'Click two points whose distance you know'],
  ['card', 'Grey card', 'Drag a box within a grey card, or anything of known grey'],
]
const toShare = (event: PointerEvent): Point => {
  const box = pane.value!.getBoundingClientRect()
  const x = (event.clientX - box.left - at.value[0]) / zoom.value / photo.value.width
  const y = (event.clientY - box.top - at.value[1]) / zoom.value / photo.value.height
  return [Math.min(1, Math.max(0, x)), Math.min(1, Math.max(0, y))]
}
const toScreen = ([x, y]: readonly number[]): Point => [
  at.value[0] + x * photo.value.width * zoom.value,
  at.value[1] + y * photo.value.height * zoom.value,
]
function take(what: Tool) {
  tool.value = tool.value === what ? '' : what
  drawn.value = []
}
let from: { x: number; y: number; at: Point } | undefined
function down(event: PointerEvent) {
  if (event.button !== 0) return
  pane.value!.setPointerCapture(event.pointerId)
  if (!tool.value) {
    from = { x: event.clientX, y: event.clientY, at: at.value }
    return
  }
  const point = toShare(event)
  if (tool.value === 'box' || tool.value === 'card') {
    drawn.value = [point, point]
    return
  }
  const first = drawn.value[0] && toScreen(drawn.value[0])
  const here = toScreen(point)
  if (
    tool.value === 'outline' &&
    drawn.value.length > 2 &&
    first &&
    Math.hypot(here[0] - first[0], here[1] - first[1]) < 9
  )
    return close()
  drawn.value = [...drawn.value, point]
  if (tool.value === 'scale' && drawn.value.length === 2) {
    const points = drawn.value
    take('')
    void photos.mark({ points })
  }
}
function move(event: PointerEvent) {
  if (from) at.value = [from.at[0] + event.clientX - from.x, from.at[1] + event.clientY - from.y]
  else if (['box', 'card'].includes(tool.value) && drawn.value.length === 2 && event.buttons & 1)
    drawn.value = [drawn.value[0], toShare(event)]
}
function up() {
  from = undefined
  if (!['box', 'card'].includes(tool.value) || drawn.value.length !== 2) return
  const [[ax, ay], [bx, by]] = drawn.value
  const [a, b] = [toScreen(drawn.value[0]), toScreen(drawn.value[1])]
  const what = tool.value
  take('')
  // A click is no box.
  if (Math.abs(a[0] - b[0]) < 4 || Math.abs(a[1] - b[1]) < 4) return
  const [l, r, t, m] = [Math.min(ax, bx), Math.max(ax, bx), Math.min(ay, by), Math.max(ay, by)]
  if (what === 'card') void photos.mark({ card: [l, t, r, m] })
  else void photos.mark({ outline: [[l, t], [r, t], [r, m], [l, m]] }) // prettier-ignore
}
function close() {
  const outline = drawn.value
  take('')
  if (outline.length > 2) void photos.mark({ outline })
}
useEventListener(
  window,
  'keydown',
  (event: KeyboardEvent) => {
    if (!tool.value || (event.key !== 'Escape' && event.key !== 'Enter')) return
    event.preventDefault()
    event.stopPropagation()
    if (event.key === 'Enter' && tool.value === 'outline') close()
    else take('')
  },
  { capture: true },
)
const corners = (points: readonly (readonly number[])[]) => points.map((p) => toScreen(p).join()).join(' ')
const rim = computed(() => (tool.value === 'outline' || tool.value === 'box' ? [] : (photo.value.marks.outline ?? [])))
const boxed = computed(() => {
  if (!['box', 'card'].includes(tool.value) || drawn.value.length !== 2) return []
  const [[ax, ay], [bx, by]] = drawn.value
  return [[ax, ay], [bx, ay], [bx, by], [ax, by]] // prettier-ignore
})
const card = computed(() => {
  const c = photo.value.marks.card
  return c ? [[c[0], c[1]], [c[2], c[1]], [c[2], c[3]], [c[0], c[3]]] : [] // prettier-ignore
})
const kindsShown = ref(true)
const layer = computed(() => {
  const area = photos.read?.area
  if (!area) return undefined
  const [x, y] = toScreen([area[0], area[1]])
  const [r, b] = toScreen([area[2], area[3]])
  return { left: `${x}px`, top: `${y}px`, width: `${r - x}px`, height: `${b - y}px` }
})
watch(
  () => photos.chosen?.marks.length_mm,
  (mm) => (length.value = mm ?? null),
  { immediate: true },
)
function setLength(event: Event) {
  const value = Number.parseFloat((event.target as HTMLInputElement).value.replace(',', '.'))
  if (value > 0) void photos.mark({ length_mm: value })
}
</script>

<template>
  <section class="pane" aria-label="Photograph">
    <div
      ref="pane"
      class="paper"
      :class="{ marking: !!tool }"
      @pointerdown="down"
      @pointermove="move"
      @pointerup="up"
      @wheel.prevent="wheel"
    >
      <img
        :src="photos.url(photo.id)"
        :alt="photo.name"
        draggable="false"
        :style="{
          width: `${photo.width * zoom}px`,
          height: `${photo.height * zoom}px`,
          transform: `translate(${at[0]}px, ${at[1]}px)`,
        }"
      />
      <img v-if="photos.read && kindsShown" class="kinds" :src="photos.read.shown" alt="" :style="layer" />
      <svg>
        <polygon v-if="rim.length" class="rim" :points="corners(rim)" />
        <polygon v-if="card.length" class="card" :points="corners(card)" />
        <polygon v-if="boxed.length" class="rim" :points="corners(boxed)" />
        <polyline v-if="tool === 'outline' && drawn.length" class="rim" :points="corners(drawn)" />
        <g v-for="(p, k) in tool === 'scale' ? drawn : (photo.marks.points ?? [])" :key="k">
          <circle class="point" :cx="toScreen(p)[0]" :cy="toScreen(p)[1]" r="5" />
        </g>
        <polyline
          v-if="tool !== 'scale' && photo.marks.points?.length === 2"
          class="measure"
          :points="corners(photo.marks.points)"
        />
      </svg>
    </div>
    <div class="top">
      <div class="chip label">
        <b class="clip">{{ photo.name }}</b>
        <span class="muted">{{ photos.all.indexOf(photo) + 1 }} of {{ photos.all.length }}</span>
      </div>
      <div class="chip tools">
        <button type="button" @click="whole">Whole</button>
        <button
          v-tooltip.bottom="'A millimetre as large as in the view'"
          type="button"
          :disabled="!photo.mm_per_width"
          @click="sameScale"
        >
          Same scale
        </button>
        <button type="button" aria-label="Close the photograph" @click="photos.shown = ''">
          <i class="pi pi-times" />
        </button>
      </div>
    </div>
    <div class="chip marks">
      <button
        v-for="[name, title, tip] in TOOLS"
        :key="name"
        v-tooltip.top="tip"
        type="button"
        class="press"
        :aria-pressed="tool === name"
        @click="take(name)"
      >
        {{ title }}
      </button>
      <label v-if="photo.marks.points?.length === 2">
        <input
          class="length"
          type="text"
          inputmode="decimal"
          aria-label="Length between the two points in mm"
          placeholder="length"
          :value="length ?? ''"
          @change="setLength"
          @keydown.enter="($event.target as HTMLInputElement).blur()"
        />
        mm
      </label>
      <button
        v-if="photos.read"
        type="button"
        class="press"
        :aria-pressed="kindsShown"
        @click="kindsShown = !kindsShown"
      >
        Kinds
      </button>
    </div>
    <div v-if="perPixel" class="scale"><ScaleBar :per-pixel="perPixel" /></div>
  </section>
</template>

<style scoped>
.pane {
  position: relative;
  min-width: 0;
  min-height: 0;
  background: #868686;
  border-right: 4px solid var(--paper);
}
.paper {
  position: absolute;
  inset: 0;
  overflow: hidden;
  cursor: grab;
  touch-action: none;
}
.paper.marking {
  cursor: crosshair;
}
.paper > img {
  position: absolute;
  left: 0;
  top: 0;
  max-width: none;
  user-select: none;
}
.kinds {
  opacity: 0.85;
  image-rendering: pixelated;
}
svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.rim,
.card,
.measure {
  fill: none;
  stroke: #fff;
  stroke-width: 1.5;
  stroke-dasharray: 5 4;
  filter: drop-shadow(0 0 1px #000);
}
.card {
  stroke-dasharray: none;
}
.measure {
  stroke-dasharray: none;
}
.point {
  fill: none;
  stroke: #fff;
  stroke-width: 2;
  filter: drop-shadow(0 0 1px #000);
}
.top {
  position: absolute;
  left: 12px;
  right: 12px;
  top: 12px;
  display: flex;
  justify-content: space-between;
  gap: 8px;
  pointer-events: none;
}
.top > * {
  pointer-events: auto;
}
.label .muted {
  white-space: nowrap;
}
.label {
  display: flex;
  gap: 8px;
  min-width: 0;
  padding: 5px 10px;
}
.tools {
  display: flex;
  gap: 10px;
  padding: 5px 10px;
  white-space: nowrap;
}
.tools button:disabled {
  opacity: 0.45;
}
.marks {
  position: absolute;
  left: 12px;
  bottom: 12px;
  max-width: calc(100% - 24px);
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  padding: 5px;
}
.length {
  font: inherit;
  width: 58px;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 2px 6px;
  background: var(--panel);
}
.scale {
  position: absolute;
  right: 12px;
  top: 50px;
}
</style>
