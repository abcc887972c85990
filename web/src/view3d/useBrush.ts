import { useEventListener } from '@vueuse/core'
import { Vector3 } from 'three'
import { computed, ref, watch, type Ref, type ShallowRef } from 'vue'
import { useHand } from '../stores/hand'
import { useWork } from '../stores/work'
import { Painter, penOf, type BrushNow, type Pen } from './painter'
import type { Spot } from './picking'
import type { SurfaceScene } from './surfaceScene'

const UPRIGHT: Pen = { pressure: 1, tilt: 0, turn: 0 }

/** Painting and filling on the 3D view and on the UV view, by mouse, touch or pen. */
export function useBrush(surface: ShallowRef<SurfaceScene | undefined>, canvas: Ref<HTMLCanvasElement | undefined>) {
  const hand = useHand()
  const work = useWork()
  const turning = ref(false)
  const active = computed(() => hand.tool !== '' && !turning.value)
  let painter: Painter | undefined
  let pointer = -1
  let adds = true
  let sizeMm = 30
  let straightFrom: Vector3 | undefined
  let before: [number, number] | undefined

  watch([surface, active], ([scene, on]) => {
    painter = scene ? (painter ?? new Painter(scene)) : undefined
    scene?.handOver(on)
    if (!on) hide()
  })
  // The true result is there: the tint that stood in for it goes.
  watch(
    () => work.marks,
    (shown) => {
      if (shown >= work.wantsMarks && !painter?.drawing) wipe()
    },
  )
  function wipe() {
    surface.value?.paint.clear()
    surface.value?.draw()
  }
  function hide() {
    surface.value?.cursor.hide()
    surface.value?.draw()
  }

  function brushNow(): BrushNow {
    const s = hand.settings
    return {
      radius: () => sizeMm / 2000,
      hardness: Number(s.hardness),
      flow: Number(s.flow),
      spacing: Number(s.spacing),
      pressureSize: Number(s.pressure_size),
      pressureFlow: Number(s.pressure_flow),
      mirror: hand.mirror,
      facing: hand.facing,
      adds,
    }
  }
  /** The size at a place; in pixels it depends on how near that is. */
  const sizeAt = (spot: Spot) =>
    hand.sizeIn === 'px' ? hand.pixels * surface.value!.millimetresPerPixelAt(spot.point) : hand.size

  function hover(spot: Spot | undefined, pen: Pen = UPRIGHT) {
    if (!surface.value) return
    if (!spot || hand.tool !== 'paint') return hide()
    const way = hand.facing === 'camera' ? surface.value.sight().towards : spot.normal
    surface.value.cursor.place(spot.point, way, (painter?.drawing ? sizeMm : sizeAt(spot)) / 2000, pen.tilt, pen.turn)
    surface.value.draw()
  }

  function begin(spot: Spot, pen: Pen, away: boolean) {
    if (!painter) return
    adds = away ? hand.takes : !hand.takes
    sizeMm = Math.min(100000, Math.max(0.05, sizeAt(spot)))
    painter.begin(brushNow())
    if (straightFrom && surface.value) {
      // A straight line as seen: along it the surface is looked for step by step.
      const [x0, y0] = surface.value.project(straightFrom)
      const [x1, y1] = surface.value.project(spot.point)
      const steps = Math.max(1, Math.ceil(Math.hypot(x1 - x0, y1 - y0) / 4))
      for (let k = 0; k < steps; k++)
        painter.touch(surface.value.pick(x0 + ((x1 - x0) * k) / steps, y0 + ((y1 - y0) * k) / steps), pen, brushNow())
    }
    painter.touch(spot, pen, brushNow())
  }
  function end() {
    if (!painter?.drawing || !surface.value) return
    const strokes = painter.finish()
    const middle = surface.value.middle()
    if (strokes.length) void hand.keep(strokes, [middle.x, middle.y, middle.z], sizeMm, adds)
    else wipe()
  }
  function fill(spot: Spot, away: boolean) {
    hand.fill(
      [spot.point.x, spot.point.y, spot.point.z],
      [spot.normal.x, spot.normal.y, spot.normal.z],
      away ? hand.takes : !hand.takes,
    )
  }

  function place(event: PointerEvent): Spot | undefined {
    const box = canvas.value!.getBoundingClientRect()
    return surface.value?.pick(event.clientX - box.left, event.clientY - box.top)
  }
  function down(event: PointerEvent) {
    if (!active.value || event.button !== 0) return
    // The camera must not move with it.
    event.stopImmediatePropagation()
    canvas.value!.focus()
    const spot = place(event)
    if (hand.tool === 'fill') {
      if (spot) fill(spot, event.ctrlKey || event.metaKey)
      return
    }
    pointer = event.pointerId
    before = [event.clientX, event.clientY]
    try {
      canvas.value!.setPointerCapture(pointer)
    } catch {
      // A replayed pen cannot be captured, and need not be.
    }
    straightFrom = event.shiftKey ? painter?.end : undefined
    if (spot) begin(spot, penOf(event), event.ctrlKey || event.metaKey)
    else {
      // Begun beside the object: the stroke starts where it comes onto it.
      adds = event.ctrlKey || event.metaKey ? hand.takes : !hand.takes
      sizeMm = hand.sizeIn === 'px' ? 0 : hand.size
      painter?.begin(brushNow())
    }
    hover(spot, penOf(event))
  }
  function move(event: PointerEvent) {
    if (!active.value) return
    if (painter?.drawing && event.pointerId === pointer) {
      event.stopImmediatePropagation()
      const all = event.getCoalescedEvents?.() ?? []
      let spot: Spot | undefined
      for (const each of all.length ? all : [event]) {
        spot = place(each)
        if (spot && !sizeMm) sizeMm = sizeAt(spot)
        const moved = before ? Math.hypot(each.clientX - before[0], each.clientY - before[1]) : 0
        before = [each.clientX, each.clientY]
        // A surface seen at a glancing angle is longer than it looks.
        const farthest = spot ? (moved * 6 * surface.value!.millimetresPerPixelAt(spot.point)) / 1000 : 0
        painter.touch(spot, penOf(each), brushNow(), farthest)
      }
      hover(spot, penOf(event))
    } else if (!event.buttons) hover(place(event), penOf(event))
  }
  function up(event: PointerEvent) {
    if (event.pointerId !== pointer) return
    pointer = -1
    end()
  }
  // Before the camera's own listeners.
  useEventListener(canvas, 'pointerdown', down, { capture: true })
  useEventListener(canvas, 'pointermove', move, { capture: true })
  useEventListener(canvas, ['pointerup', 'pointercancel'], up, { capture: true })
  useEventListener(canvas, 'pointerleave', () => !painter?.drawing && hide())
  useEventListener(canvas, 'contextmenu', (event) => event.preventDefault())

  /** From the UV view: the same strokes, by places of a map set. */
  function fromUv(phase: 'down' | 'move' | 'up', spot: Spot | undefined, event: PointerEvent) {
    if (phase === 'up') return end()
    if (phase === 'down' && spot) {
      if (hand.tool === 'fill') return fill(spot, event.ctrlKey)
      straightFrom = undefined
      begin(spot, penOf(event), event.ctrlKey)
    } else if (phase === 'move' && painter?.drawing) painter.touch(spot, penOf(event), brushNow(), sizeMm / 1000)
    hover(spot, penOf(event))
  }
  return { active, turning, fromUv, sizeAt }
}
