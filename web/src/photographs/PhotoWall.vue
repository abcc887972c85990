<script setup lang="ts">
import Dialog from 'primevue/dialog'
import { computed, ref, watch } from 'vue'
import { useElementSize } from '@vueuse/core'
import { usePhotographs, type Photo } from '../stores/photographs'

/** The board of the project: its photographs arranged freely. Drag one, pull its corner, drag the board itself. */
const visible = defineModel<boolean>('visible', { required: true })
const photos = usePhotographs()
const board = ref<HTMLElement>()
const zoom = ref(1)
/** How far and how near the board is looked at. */
const NEAREST = [0.08, 6] as const
/** Height of the line below a picture. */
const CAPTION = 28
const at = ref<[number, number]>([0, 0])
/** Where a picture is while it is dragged; saved when it is let go. */
const dragged = ref<{ id: number; x: number; y: number; width: number }>()
const placeOf = (photo: Photo) => {
  const { x = 0, y = 0, width = 320 } = photo.place
  return dragged.value?.id === photo.id ? dragged.value : { x, y, width }
}
let from:
  { x: number; y: number; photo?: Photo; corner?: boolean; start: { x: number; y: number; width: number } } | undefined
function down(event: PointerEvent, photo?: Photo, corner = false) {
  if (event.button !== 0) return
  event.stopPropagation()
  board.value!.setPointerCapture(event.pointerId)
  const start = photo ? placeOf(photo) : { x: at.value[0], y: at.value[1], width: 0 }
  from = { x: event.clientX, y: event.clientY, photo, corner, start: { ...start } }
}
function move(event: PointerEvent) {
  if (!from) return
  const [dx, dy] = [event.clientX - from.x, event.clientY - from.y]
  if (!from.photo) {
    at.value = [from.start.x + dx, from.start.y + dy]
    return
  }
  const { x, y, width } = from.start
  dragged.value = from.corner
    ? { id: from.photo.id, x, y, width: Math.min(5000, Math.max(40, width + dx / zoom.value)) }
    : { id: from.photo.id, x: x + dx / zoom.value, y: y + dy / zoom.value, width }
}
async function up() {
  const done = from
  from = undefined
  if (!done?.photo || !dragged.value) return
  const { id, ...place } = dragged.value
  await photos.change(id, { place })
  dragged.value = undefined
}
function wheel(event: WheelEvent) {
  const box = board.value!.getBoundingClientRect()
  const [x, y] = [event.clientX - box.left, event.clientY - box.top]
  const to = Math.min(NEAREST[1], Math.max(NEAREST[0], zoom.value * Math.exp(-event.deltaY * 0.0012)))
  at.value = [x - ((x - at.value[0]) * to) / zoom.value, y - ((y - at.value[1]) * to) / zoom.value]
  zoom.value = to
}
const STEP: Record<string, [number, number]> = {
  ArrowLeft: [-20, 0],
  ArrowRight: [20, 0],
  ArrowUp: [0, -20],
  ArrowDown: [0, 20],
}
function key(event: KeyboardEvent, photo: Photo) {
  const by = STEP[event.key]
  if (!by) return
  event.preventDefault()
  const { x, y, width } = placeOf(photo)
  const place = event.shiftKey ? { x, y, width: Math.max(40, width + by[0]) } : { x: x + by[0], y: y + by[1], width }
  void photos.change(photo.id, { place })
}
const { width: wide, height: high } = useElementSize(board)
const tallOf = (photo: Photo) => (placeOf(photo).width * photo.height) / photo.width
/** Larger on the screen than the small copy, and on the board: what lies outside it stays small in memory. */
function sharp(photo: Photo) {
  const { x, y, width } = placeOf(photo)
  const [left, top] = [at.value[0] + x * zoom.value, at.value[1] + y * zoom.value]
  const inside =
    left < wide.value && top < high.value && left + width * zoom.value > 0 && top + tallOf(photo) * zoom.value > 0
  return inside && width * zoom.value > 340
}
/** All of them on the board, none larger than it hangs there. */
function showAll() {
  if (!photos.all.length || !wide.value) return
  const places = photos.all.map((photo) => ({ ...placeOf(photo), bottom: placeOf(photo).y + tallOf(photo) + CAPTION }))
  const [left, top] = [Math.min(...places.map((p) => p.x)), Math.min(...places.map((p) => p.y))]
  const [across, tall] = [
    Math.max(...places.map((p) => p.x + p.width)) - left,
    Math.max(...places.map((p) => p.bottom)) - top,
  ]
  const to = Math.min(1, Math.max(NEAREST[0], Math.min((wide.value - 32) / across, (high.value - 32) / tall)))
  zoom.value = to
  at.value = [(wide.value - across * to) / 2 - left * to, (high.value - tall * to) / 2 - top * to]
}
// As soon as the board has a size, which is after the sheet has opened.
watch(
  () => visible.value && wide.value > 0,
  (open) => open && showAll(),
)
const paper = computed(() => ({ transform: `translate(${at.value[0]}px, ${at.value[1]}px) scale(${zoom.value})` }))
</script>

<template>
  <Dialog v-model:visible="visible" modal dismissable-mask header="Wall of photographs" class="wall">
    <div
      ref="board"
      class="board"
      @pointerdown="(e) => down(e)"
      @pointermove="move"
      @pointerup="up"
      @wheel.prevent="wheel"
    >
      <div class="paper" :style="paper">
        <figure
          v-for="photo in photos.all"
          :key="photo.id"
          tabindex="0"
          :class="{ on: photo.id === photos.chosenId }"
          :aria-label="`${photo.name}: drag it, or use the arrow keys; with Shift they size it`"
          :style="{
            left: `${placeOf(photo).x}px`,
            top: `${placeOf(photo).y}px`,
            width: `${placeOf(photo).width}px`,
          }"
          @pointerdown="(e) => (photos.choose(photo.id), down(e, photo))"
          @dblclick="((photos.shown ||= 'beside'), (visible = false))"
          @keydown="(e) => key(e, photo)"
          @keydown.enter="((photos.shown ||= 'beside'), (visible = false))"
        >
          <img
            :src="photos.url(photo.id, !sharp(photo))"
            :alt="photo.name"
            draggable="false"
            decoding="async"
            :style="{ aspectRatio: `${photo.width} / ${photo.height}` }"
          />
          <figcaption>
            <b>{{ photo.name }}</b>
            {{ photo.note }}
          </figcaption>
          <i class="corner" @pointerdown="(e) => down(e, photo, true)" />
        </figure>
      </div>
    </div>
    <p class="muted foot">
      Drag pictures, pull their corner, drag the board, zoom with the wheel; a double click opens one beside the view.
      <button type="button" class="link" @click="showAll">Show all</button>
    </p>
  </Dialog>
</template>

<style>
.wall {
  width: min(1200px, 94vw);
}
</style>
<style scoped>
.board {
  position: relative;
  height: 66vh;
  overflow: hidden;
  background: #868686;
  border-radius: 4px;
  cursor: grab;
  touch-action: none;
}
.paper {
  position: absolute;
  transform-origin: 0 0;
  will-change: transform;
}
figure {
  position: absolute;
  margin: 0;
  background: var(--panel);
  border: 1px solid var(--line);
  cursor: move;
}
figure.on {
  outline: 2px solid var(--verdigris);
}
figure img {
  display: block;
  width: 100%;
}
.foot {
  display: flex;
  justify-content: space-between;
  gap: 16px;
}
figcaption {
  padding: 4px 8px;
  overflow-wrap: anywhere;
}
.corner {
  position: absolute;
  right: -5px;
  bottom: -5px;
  width: 14px;
  height: 14px;
  border-radius: 3px;
  background: var(--verdigris);
  cursor: nwse-resize;
}
</style>
