<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { Vector3 } from 'three'
import { computed, ref } from 'vue'
import type { Evaluation } from '../api/scene'
import { useHand } from '../stores/hand'
import { useWork } from '../stores/work'
import type { Spot } from './picking'
import type { SurfaceScene } from './surfaceScene'

/**
 * The frame of the selected decal, or of a line that throws a picture through one, over the view: drag its middle over the surface, its corners to scale it, the knob
 * above it to turn it.
 */
const props = defineProps<{ surface: SurfaceScene; frame: number; canvas: HTMLCanvasElement }>()
const work = useWork()
const hand = useHand()
/** The wheel zooms here as it does beside the handles. */
const zoom = (event: WheelEvent) => props.canvas.dispatchEvent(new WheelEvent('wheel', event))

type Box = NonNullable<Evaluation['layers'][number]['frame']>
type Fields = Record<string, unknown>
/** What has a frame: the open line of the recipe, or the selected layer. */
const held = computed<{ fields: () => Fields | undefined; box: Box } | undefined>(() => {
  if (!['weather', 'base'].includes(work.bench) || hand.tool) return undefined
  const line = work.selectedTerm
  const ofLine = line < 0 ? undefined : work.evaluation?.where?.terms[line]?.frame
  if (ofLine) return { fields: () => openTerms()?.[line]?.source, box: ofLine }
  if (work.bench !== 'weather' || work.selectedEpisode) return undefined
  const box = work.selected && work.outcome.get(work.selected.id)?.frame
  return box ? { fields: () => work.selected?.effect, box } : undefined
})
function openTerms(): { source: Fields }[] | undefined {
  if (work.bench === 'base') return work.scene?.bases[work.maskedBase]?.where?.terms
  return (work.episode ?? work.selected)?.where.terms
}
const box = computed(() => held.value?.box)
type Point = [number, number]
const vector = (v: number[]) => new Vector3(v[0], v[1], v[2])
/** Corners, middle and knob as they show now; follows the camera frame by frame. */
const drawn = computed(() => {
  const found = box.value
  if (!found || props.frame < 0) return undefined
  const [middle, right, up, back] = [found.middle, found.right, found.up, found.back].map(vector)
  const at = (x: number, y: number): Point => {
    const p = middle
      .clone()
      .addScaledVector(right, (x * found.width_mm) / 2000)
      .addScaledVector(up, (y * found.tall_mm) / 2000)
    return props.surface.project(p)
  }
  const hidden = back.dot(props.surface.sight().towards) < 0
  const corners: Point[] = [at(-1, 1), at(1, 1), at(1, -1), at(-1, -1)]
  const [top, mid] = [at(0, 1), at(0, 0)]
  // Seen from afar the grips would lie on each other: they keep a distance from the middle.
  const apart = (p: Point, least: number): Point => {
    const away = Math.hypot(p[0] - mid[0], p[1] - mid[1])
    return away >= least || away < 0.5
      ? p
      : [mid[0] + ((p[0] - mid[0]) / away) * least, mid[1] + ((p[1] - mid[1]) / away) * least]
  }
  const grips = corners.map((p) => apart(p, 26))
  const long = Math.max(1, Math.hypot(top[0] - mid[0], top[1] - mid[1]))
  const far = Math.max(long + 22, 42)
  const knob: Point = [mid[0] + ((top[0] - mid[0]) / long) * far, mid[1] + ((top[1] - mid[1]) / long) * far]
  return { corners, grips, middle: mid, top, knob, hidden, reach: Math.max(14, long) }
})
const outline = computed(() => drawn.value?.corners.map((p) => p.join()).join(' ') ?? '')

type Grip = 'move' | 'scale' | 'turn'
const grip = ref<Grip>()
let start = { angle: 0, turn: 0, distance: 1, width: 1 }
const LABELS: Record<Grip, string> = { move: 'Move', scale: 'Scale', turn: 'Turn' }
const said = (what: Grip) => `${LABELS[what]} ${held.value?.box.name ?? ''}`.trim()

function spotOf(event: PointerEvent): { x: number; y: number; spot?: Spot } {
  const area = props.canvas.getBoundingClientRect()
  const [x, y] = [event.clientX - area.left, event.clientY - area.top]
  return { x, y, spot: props.surface.pick(x, y) }
}
function grab(event: PointerEvent, what: Grip) {
  const effect = held.value?.fields()
  if (event.button !== 0 || !drawn.value || !held.value || !effect) return
  event.preventDefault()
  event.stopPropagation()
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  const { x, y } = spotOf(event)
  const [mx, my] = drawn.value.middle
  start = {
    angle: Math.atan2(y - my, x - mx),
    turn: Number(effect.turn_deg),
    distance: Math.max(4, Math.hypot(x - mx, y - my)),
    width: Number(effect[held.value.box.width_field]),
  }
  grip.value = what
}
const three = (n: number) => Number(n.toPrecision(4))
function place(effect: Fields, spot: Spot) {
  effect.at = hand.toFile([spot.point.x, spot.point.y, spot.point.z])
  effect.facing = hand.toFile([spot.normal.x, spot.normal.y, spot.normal.z])
  effect.scale = work.object?.scale ?? 1
}
function pull(event: PointerEvent) {
  const effect = held.value?.fields()
  if (!grip.value || !drawn.value || !held.value || !effect) return
  const { x, y, spot } = spotOf(event)
  const [mx, my] = drawn.value.middle
  if (grip.value === 'move') {
    // Beside the object it stays where it was last on it.
    if (!spot) return
    place(effect, spot)
  } else if (grip.value === 'scale') {
    const width = (start.width * Math.hypot(x - mx, y - my)) / start.distance
    effect[held.value.box.width_field] = three(Math.min(100000, Math.max(0.1, width)))
  } else {
    const by = ((Math.atan2(y - my, x - mx) - start.angle) * 180) / Math.PI
    let turn = start.turn + by * (drawn.value.hidden ? -1 : 1)
    // Upright, on its side, and with Shift every 15 degrees hold a little.
    const step = event.shiftKey ? 15 : 90
    const near = Math.round(turn / step) * step
    if (event.shiftKey || Math.abs(turn - near) < 2.5) turn = near
    effect.turn_deg = Number((((turn + 540) % 360) - 180).toFixed(1))
  }
  work.preview()
}
function release() {
  if (!grip.value) return
  const label = said(grip.value)
  grip.value = undefined
  void work.commit(label)
}
/** By keyboard: arrows move it by a hundredth of the view, with Shift they turn and scale it. */
function key(event: KeyboardEvent) {
  const effect = held.value?.fields()
  if (!held.value || !effect || !drawn.value) return
  const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[event.key]
  if (!way) return
  event.preventDefault()
  event.stopPropagation()
  if (event.shiftKey) {
    if (way[0]) effect.turn_deg = Number((Number(effect.turn_deg) + way[0] * 5).toFixed(1))
    else
      effect[held.value.box.width_field] = three(
        Number(effect[held.value.box.width_field]) * (way[1] < 0 ? 1.05 : 1 / 1.05),
      )
  } else {
    const [mx, my] = drawn.value.middle
    const by = props.canvas.clientHeight / 100
    const spot = props.surface.pick(mx + way[0] * by, my + way[1] * by)
    if (!spot) return
    place(effect, spot)
  }
  void work.commit(said('move'))
}
// A lost pointer must not leave it in hand.
useEventListener(window, 'blur', release)
</script>

<template>
  <div v-if="drawn" class="handles" :class="{ hidden: drawn.hidden }" data-testid="decal-handles" @wheel.prevent="zoom">
    <svg aria-hidden="true">
      <polygon :points="outline" />
      <line :x1="drawn.top[0]" :y1="drawn.top[1]" :x2="drawn.knob[0]" :y2="drawn.knob[1]" />
    </svg>
    <button
      type="button"
      class="grip middle"
      :style="{ left: `${drawn.middle[0]}px`, top: `${drawn.middle[1]}px` }"
      :aria-label="`Move the ${held?.box.name}: drag it, or use the arrow keys; with Shift they turn and scale it`"
      @pointerdown="(e) => grab(e, 'move')"
      @pointermove="pull"
      @pointerup="release"
      @pointercancel="release"
      @keydown="key"
    >
      <i class="pi pi-arrows-alt" />
    </button>
    <button
      v-for="(corner, k) in drawn.grips"
      :key="k"
      type="button"
      tabindex="-1"
      class="grip corner"
      :style="{ left: `${corner[0]}px`, top: `${corner[1]}px` }"
      :aria-label="`Scale the ${held?.box.name}, corner ${k + 1}`"
      @pointerdown="(e) => grab(e, 'scale')"
      @pointermove="pull"
      @pointerup="release"
      @pointercancel="release"
    />
    <button
      type="button"
      tabindex="-1"
      class="grip knob"
      :style="{ left: `${drawn.knob[0]}px`, top: `${drawn.knob[1]}px` }"
      :aria-label="`Turn the ${held?.box.name}`"
      @pointerdown="(e) => grab(e, 'turn')"
      @pointermove="pull"
      @pointerup="release"
      @pointercancel="release"
    />
  </div>
</template>

<style scoped>
.handles {
  position: absolute;
  inset: 0;
  overflow: hidden;
  pointer-events: none;
}
.handles.hidden {
  opacity: 0.35;
}
svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
polygon,
line {
  fill: none;
  stroke: #fff;
  stroke-width: 1.2;
  filter: drop-shadow(0 0 1.5px rgb(0 0 0 / 75%));
}
.grip {
  position: absolute;
  transform: translate(-50%, -50%);
  pointer-events: auto;
  touch-action: none;
  background: #fff;
  border: 1px solid rgb(0 0 0 / 55%);
}
.middle {
  width: 22px;
  height: 22px;
  border-radius: 50%;
  cursor: move;
  background: rgb(255 255 255 / 82%);
  color: #22262a;
}
.middle i {
  font-size: 11px;
}
.corner {
  width: 10px;
  height: 10px;
  border-radius: 2px;
  cursor: nwse-resize;
}
.knob {
  width: 12px;
  height: 12px;
  border-radius: 50%;
  cursor: grab;
}
</style>
