<script setup lang="ts">
import Slider from 'primevue/slider'
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useWork } from '../stores/work'
import { usePhotographs, type Point } from '../stores/photographs'

/**
 * The chosen photograph laid over the view and matched to it by hand: moved, sized, turned, or brought upon two points
 * of the surface; the camera's field of view makes the perspective agree.
 */
const photos = usePhotographs()
const work = useWork()
const photo = computed(() => photos.chosen!)
const layer = ref<HTMLElement>()
const { width, height } = useElementSize(layer)
const moving = ref(false)
/** Two pairs of points: in the photograph, then where they belong. */
const pairs = ref<Point[]>()
const place = computed(() => photos.place)
const tall = computed(() => place.value.size * height.value)
const wide = computed(() => (tall.value * photo.value.width) / photo.value.height)
const style = computed(() => ({
  left: `${place.value.x * width.value - wide.value / 2}px`,
  top: `${place.value.y * height.value - tall.value / 2}px`,
  width: `${wide.value}px`,
  height: `${tall.value}px`,
  opacity: String(place.value.opacity),
  transform: `rotate(${place.value.turn}deg)`,
}))
let from: { x: number; y: number; at: Point } | undefined
function down(event: PointerEvent) {
  const box = layer.value!.getBoundingClientRect()
  const point: Point = [event.clientX - box.left, event.clientY - box.top]
  if (pairs.value) {
    pairs.value = [...pairs.value, point]
    if (pairs.value.length === 4) match()
    return
  }
  layer.value!.setPointerCapture(event.pointerId)
  from = { x: event.clientX, y: event.clientY, at: [place.value.x, place.value.y] }
}
function move(event: PointerEvent) {
  if (!from) return
  const x = from.at[0] + (event.clientX - from.x) / width.value
  const y = from.at[1] + (event.clientY - from.y) / height.value
  photos.place = { ...place.value, x, y }
}
function wheel(event: WheelEvent) {
  const times = Math.exp(-event.deltaY * 0.001)
  photos.place = { ...place.value, size: Math.min(20, Math.max(0.05, place.value.size * times)) }
}
/** Moved, sized and turned so that the first point of each pair comes upon the second. */
function match() {
  const [a, a2, b, b2] = pairs.value!
  pairs.value = undefined
  const before = [b[0] - a[0], b[1] - a[1]]
  const after = [b2[0] - a2[0], b2[1] - a2[1]]
  const was = Math.hypot(before[0], before[1])
  const becomes = Math.hypot(after[0], after[1])
  if (was < 8 || becomes < 8) {
    photos.wrong = 'The two points lie too near to each other: choose two that are further apart.'
    return
  }
  const times = becomes / was
  const by = Math.atan2(after[1], after[0]) - Math.atan2(before[1], before[0])
  // The middle goes where it goes with the first point.
  const [mx, my] = [place.value.x * width.value - a[0], place.value.y * height.value - a[1]]
  const x = a2[0] + times * (mx * Math.cos(by) - my * Math.sin(by))
  const y = a2[1] + times * (mx * Math.sin(by) + my * Math.cos(by))
  photos.place = {
    ...place.value,
    x: x / width.value,
    y: y / height.value,
    size: place.value.size * times,
    turn: place.value.turn + (by * 180) / Math.PI,
  }
}
const SAID = [
  'Click a point in the photograph',
  'Click where it belongs on the surface',
  'Click a second point in the photograph',
  'Click where that belongs',
]
const field = ref(work.sight.camera()?.field_deg ?? 30)
/** The same size on the screen from nearer or further away: only the perspective changes. */
function setField(deg: number) {
  const stand = work.sight.camera()
  if (!stand) return
  const far = Math.tan((stand.field_deg * Math.PI) / 360) / Math.tan((deg * Math.PI) / 360)
  const position = stand.position.map((p, k) => stand.target[k] + (p - stand.target[k]) * far)
  field.value = deg
  work.sight.look({ ...stand, position: position as [number, number, number], field_deg: deg })
}
/** Of a camera with a frame 24 mm high (common practice: 36 by 24 mm). */
const lens = computed(() => Math.round(12 / Math.tan((field.value * Math.PI) / 360)))
</script>

<template>
  <div class="over">
    <div
      ref="layer"
      class="layer"
      :class="{ held: moving || pairs }"
      @pointerdown="down"
      @pointermove="move"
      @pointerup="from = undefined"
      @wheel.prevent="wheel"
    >
      <img :src="photos.url(photo.id)" :alt="photo.name" draggable="false" :style="style" />
      <i v-for="(p, k) in pairs ?? []" :key="k" class="dot" :style="{ left: `${p[0]}px`, top: `${p[1]}px` }" />
    </div>
    <div class="chip bar" role="group" aria-label="Photograph over the view">
      <b class="clip">{{ pairs ? SAID[pairs.length] : photo.name }}</b>
      <label>
        Opacity
        <Slider
          :model-value="Math.round(place.opacity * 100)"
          aria-label="Opacity of the photograph"
          @update:model-value="(v) => (photos.place = { ...place, opacity: Number(v) / 100 })"
        />
      </label>
      <label v-tooltip.top="'The focal length that it was taken with, for a frame of 36 by 24 mm'">
        Lens {{ lens }} mm
        <Slider
          :model-value="field"
          :min="3"
          :max="80"
          aria-label="Field of view in degrees"
          @update:model-value="(v) => setField(Number(v))"
        />
      </label>
      <label>
        Turn
        <Slider
          :model-value="place.turn"
          :min="-180"
          :max="180"
          aria-label="Turn of the photograph in degrees"
          @update:model-value="(v) => (photos.place = { ...place, turn: Number(v) })"
        />
      </label>
      <button
        v-tooltip.top="'Drag and wheel move and size the photograph instead of the camera'"
        type="button"
        class="press"
        :aria-pressed="moving"
        @click="moving = !moving"
      >
        Move it
      </button>
      <button type="button" class="press" :aria-pressed="!!pairs" @click="pairs = pairs ? undefined : []">
        Two points
      </button>
      <button type="button" aria-label="Close the photograph" @click="photos.shown = ''">
        <i class="pi pi-times" />
      </button>
    </div>
  </div>
</template>

<style scoped>
.over,
.layer {
  position: absolute;
  inset: 0;
  overflow: hidden;
  pointer-events: none;
}
.layer.held {
  pointer-events: auto;
  cursor: move;
  touch-action: none;
}
.layer img {
  position: absolute;
  max-width: none;
  user-select: none;
}
.dot {
  position: absolute;
  width: 11px;
  height: 11px;
  margin: -6px;
  border: 2px solid #fff;
  border-radius: 50%;
  box-shadow: 0 0 2px #000;
}
.bar {
  position: absolute;
  left: 12px;
  right: 12px;
  top: 52px;
  width: fit-content;
  margin: 0 auto;
  display: flex;
  flex-wrap: wrap;
  justify-content: center;
  align-items: center;
  gap: 6px 14px;
  padding: 7px 12px;
  pointer-events: auto;
}
.bar label {
  display: grid;
  grid-template-columns: auto 70px;
  gap: 9px;
  align-items: center;
  white-space: nowrap;
}
</style>
