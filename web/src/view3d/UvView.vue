<script setup lang="ts">
import Select from 'primevue/select'
import { onMounted, ref, watch } from 'vue'
import type { Spot } from './picking'
import type { SurfaceScene } from './surfaceScene'

/** The map now shown, laid flat, with the borders of its UV islands; the cursor is linked with the 3D view. */
const props = defineProps<{
  surface: SurfaceScene
  frame: number
  mapSets: string[]
  spot?: { page: number; u: number; v: number }
  /** A brush is in hand: the left button draws. */
  drawing?: boolean
  /** Size of the brush at a place, mm. */
  size?: (spot: Spot) => number
  /** Grows when what was drawn shows truly. */
  marks?: number
}>()
const emit = defineEmits<{
  hover: [spot?: { page: number; u: number; v: number }]
  draw: [phase: 'down' | 'move' | 'up', spot: Spot | undefined, event: PointerEvent]
}>()
const canvas = ref<HTMLCanvasElement>()
const page = ref(0)
const zoom = ref(1)
const offset = ref({ x: 0, y: 0 })
let picture: HTMLCanvasElement | undefined
let lines: Float32Array | undefined

function refresh() {
  const data = props.surface.shown(page.value)?.image as { data: Uint8Array; width: number } | undefined
  if (!data) return
  picture ??= document.createElement('canvas')
  picture.width = picture.height = data.width
  picture.getContext('2d')!.putImageData(new ImageData(new Uint8ClampedArray(data.data), data.width, data.width), 0, 0)
  draw()
}
function draw() {
  const target = canvas.value
  if (!target || !picture) return
  const side = target.clientWidth
  const ratio = Math.min(devicePixelRatio, 2)
  target.width = target.height = side * ratio
  const pen = target.getContext('2d')!
  const scale = side * ratio * zoom.value
  pen.translate(offset.value.x * ratio, offset.value.y * ratio)
  pen.imageSmoothingEnabled = scale < picture.width * 2
  pen.drawImage(picture, 0, 0, scale, scale)
  lines ??= props.surface.outlines(page.value)
  pen.strokeStyle = 'rgb(255 255 255 / 55%)'
  pen.lineWidth = ratio
  pen.beginPath()
  for (let k = 0; k < lines.length; k += 4) {
    pen.moveTo(lines[k] * scale, lines[k + 1] * scale)
    pen.lineTo(lines[k + 2] * scale, lines[k + 3] * scale)
  }
  pen.stroke()
  pen.fillStyle = 'rgb(102 194 178 / 60%)'
  for (const [u, v, r] of trail) {
    pen.beginPath()
    pen.arc(u * scale, v * scale, Math.max(r * scale, ratio), 0, 7)
    pen.fill()
  }
  if (props.spot && props.spot.page === page.value) {
    pen.strokeStyle = '#2b7a6f'
    pen.lineWidth = 2.5 * ratio
    pen.beginPath()
    pen.arc(props.spot.u * scale, props.spot.v * scale, 7 * ratio, 0, 7)
    pen.stroke()
  }
}
function wheel(event: WheelEvent) {
  const box = canvas.value!.getBoundingClientRect()
  const [x, y] = [event.clientX - box.left, event.clientY - box.top]
  const next = Math.min(24, Math.max(1, zoom.value * Math.exp(-event.deltaY * 0.0016)))
  const k = next / zoom.value
  offset.value = { x: x - (x - offset.value.x) * k, y: y - (y - offset.value.y) * k }
  zoom.value = next
  settle()
}
function settle() {
  const room = canvas.value!.clientWidth * (zoom.value - 1)
  offset.value = { x: Math.min(0, Math.max(-room, offset.value.x)), y: Math.min(0, Math.max(-room, offset.value.y)) }
  draw()
}
function under(event: PointerEvent): { u: number; v: number } {
  const box = canvas.value!.getBoundingClientRect()
  const scale = canvas.value!.clientWidth * zoom.value
  return {
    u: (event.clientX - box.left - offset.value.x) / scale,
    v: (event.clientY - box.top - offset.value.y) / scale,
  }
}
const found = (event: PointerEvent) => {
  const { u, v } = under(event)
  return props.surface.locate(page.value, u, v)
}
let pen = -1
/** What was drawn here and does not show yet: place and half width, in widths of the picture. */
let trail: [number, number, number][] = []
function leave(spot: Spot | undefined) {
  if (!spot?.perUv || !props.size) return
  trail.push([spot.u, spot.v, props.size(spot) / 2000 / spot.perUv])
  draw()
}
watch(
  () => props.marks,
  () => pen < 0 && (trail = []),
)
function press(event: PointerEvent) {
  if (!props.drawing || event.button !== 0) return
  pen = event.pointerId
  canvas.value!.setPointerCapture(pen)
  const spot = found(event)
  leave(spot)
  emit('draw', 'down', spot, event)
}
function release(event: PointerEvent) {
  if (event.pointerId !== pen) return
  pen = -1
  emit('draw', 'up', undefined, event)
}
function pan(event: PointerEvent) {
  if (!event.buttons || pen >= 0) {
    if (props.drawing) {
      const spot = found(event)
      if (pen >= 0) leave(spot)
      emit('draw', 'move', spot, event)
    }
    emit('hover', { page: page.value, ...under(event) })
    return
  }
  offset.value = { x: offset.value.x + event.movementX, y: offset.value.y + event.movementY }
  settle()
}
watch(() => props.frame, refresh)
watch(() => props.spot, draw)
watch(page, () => {
  lines = undefined
  refresh()
})
onMounted(refresh)
</script>

<template>
  <section class="uv" aria-label="UV view">
    <Select
      v-if="mapSets.length > 1"
      v-model="page"
      size="small"
      :options="mapSets.map((n, k) => ({ n, k }))"
      option-label="n"
      option-value="k"
    />
    <canvas
      ref="canvas"
      data-testid="uv-canvas"
      :class="{ drawing }"
      @wheel.prevent="wheel"
      @pointerdown="press"
      @pointermove="pan"
      @pointerup="release"
      @pointercancel="release"
      @pointerleave="emit('hover', undefined)"
      @contextmenu.prevent
    />
  </section>
</template>

<style scoped>
.uv {
  background: var(--glass);
  padding: 6px;
  border-radius: 5px;
  display: grid;
  gap: 6px;
}
canvas {
  width: 320px;
  height: 320px;
  display: block;
  background: #868686;
  cursor: grab;
  touch-action: none;
}
canvas.drawing {
  cursor: crosshair;
}
</style>
