<script setup lang="ts">
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref } from 'vue'
import type { FieldSchema } from '../api/scene'

/** A free curve: drag its points, click beside it for a new one, Delete or a double click takes one out. */
type Points = [number, number][]
const props = defineProps<{ field: FieldSchema; name: string; modelValue: Points | null }>()
const emit = defineEmits<{ drag: [value: Points | null]; done: [value: Points | null] }>()
const WIDE = 300
const HIGH = 110
const svg = ref<SVGSVGElement>()
const held = ref(-1)
const points = computed<Points>(() => props.modelValue ?? [])

/** Slopes of the monotone curve through the points (Fritsch and Butland), as the core has it. */
function slopes(p: Points): number[] {
  const h = p.slice(1).map((q, k) => q[0] - p[k][0])
  const d = p.slice(1).map((q, k) => (q[1] - p[k][1]) / h[k])
  const inner = (k: number) => {
    if (d[k - 1] * d[k] <= 0) return 0
    const [w1, w2] = [2 * h[k] + h[k - 1], h[k] + 2 * h[k - 1]]
    return (w1 + w2) / (w1 / d[k - 1] + w2 / d[k])
  }
  const end = (h0: number, h1: number, d0: number, d1: number) => {
    const m = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    if (m * d0 <= 0) return 0
    return d0 * d1 <= 0 && Math.abs(m) > 3 * Math.abs(d0) ? 3 * d0 : m
  }
  if (p.length === 2) return [d[0], d[0]]
  return p.map((_, k) =>
    k === 0
      ? end(h[0], h[1], d[0], d[1])
      : k === p.length - 1
        ? end(h.at(-1)!, h.at(-2)!, d.at(-1)!, d.at(-2)!)
        : inner(k),
  )
}
const path = computed(() => {
  const p = points.value
  if (p.length < 2) return ''
  const m = slopes(p)
  const at = (x: number, y: number) => `${(x * WIDE).toFixed(1)} ${((1 - y) * HIGH).toFixed(1)}`
  let out = `M${at(0, p[0][1])}L${at(...p[0])}`
  for (let k = 0; k + 1 < p.length; k++) {
    const h = (p[k + 1][0] - p[k][0]) / 3
    const [x, y] = p[k + 1]
    out += `C${at(p[k][0] + h, p[k][1] + m[k] * h)} ${at(x - h, y - m[k + 1] * h)} ${at(x, y)}`
  }
  return `${out}L${at(1, p.at(-1)![1])}`
})
function place(event: MouseEvent): [number, number] {
  const box = svg.value!.getBoundingClientRect()
  const clamp = (x: number) => Math.min(1, Math.max(0, x))
  return [clamp((event.clientX - box.left) / box.width), clamp(1 - (event.clientY - box.top) / box.height)]
}
function moved(k: number, x: number, y: number): Points {
  const p = points.value.map((q) => [...q] as [number, number])
  const low = k > 0 ? p[k - 1][0] + 0.01 : 0
  const high = k + 1 < p.length ? p[k + 1][0] - 0.01 : 1
  p[k] = [Number(Math.min(high, Math.max(low, x)).toFixed(3)), Number(y.toFixed(3))]
  return p
}
function press(event: PointerEvent) {
  const [x, y] = place(event)
  let k = points.value.findIndex((p) => Math.hypot((p[0] - x) * WIDE, (p[1] - y) * HIGH) < 10)
  if (k < 0) {
    if (points.value.length >= 16) return
    k = points.value.findIndex((p) => p[0] > x)
    if (k < 0) k = points.value.length
    const near = [points.value[k - 1], points.value[k]].some((p) => p && Math.abs(p[0] - x) < 0.012)
    if (near) return
    const p = [...points.value]
    p.splice(k, 0, [Number(x.toFixed(3)), Number(y.toFixed(3))])
    emit('drag', p)
  }
  held.value = k
  svg.value!.setPointerCapture(event.pointerId)
}
function pull(event: PointerEvent) {
  if (held.value < 0) return
  emit('drag', moved(held.value, ...place(event)))
}
function release() {
  if (held.value < 0) return
  held.value = -1
  emit('done', props.modelValue)
}
function remove(k: number) {
  if (points.value.length <= 2) return
  const p = points.value.filter((_, j) => j !== k)
  emit('drag', p)
  emit('done', p)
}
function key(event: KeyboardEvent, k: number) {
  const step = event.shiftKey ? 0.1 : 0.02
  const by: Record<string, [number, number]> = {
    ArrowLeft: [-step, 0],
    ArrowRight: [step, 0],
    ArrowUp: [0, step],
    ArrowDown: [0, -step],
  }
  if (event.key === 'Delete' || event.key === 'Backspace') remove(k)
  else if (by[event.key]) {
    const p = points.value[k]
    const next = moved(k, p[0] + by[event.key][0], Math.min(1, Math.max(0, p[1] + by[event.key][1])))
    emit('drag', next)
    emit('done', next)
  } else return
  event.preventDefault()
  event.stopPropagation()
}
function toggle(on: boolean) {
  const value: Points | null = on
    ? [
        [0, 0],
        [0.5, 0.5],
        [1, 1],
      ]
    : null
  emit('drag', value)
  emit('done', value)
}
</script>

<template>
  <div class="curve" :data-field="name">
    <div class="head">
      <label v-tooltip.left="field.description" :for="`f-${name}`">{{ field.title }}</label>
      <span v-if="!modelValue" class="muted">straight</span>
      <ToggleSwitch :input-id="`f-${name}`" :model-value="!!modelValue" @update:model-value="toggle" />
    </div>
    <svg
      v-if="modelValue"
      ref="svg"
      :viewBox="`-6 -6 ${WIDE + 12} ${HIGH + 12}`"
      role="group"
      aria-label="Curve. Click to add a point"
      @pointerdown="press"
      @pointermove="pull"
      @pointerup="release"
      @pointercancel="release"
    >
      <rect :width="WIDE" :height="HIGH" class="ground" />
      <path :d="`M0 ${HIGH}L${WIDE} 0`" class="plain" />
      <path :d="path" class="line" />
      <circle
        v-for="(p, k) in points"
        :key="k"
        :cx="p[0] * WIDE"
        :cy="(1 - p[1]) * HIGH"
        r="5"
        tabindex="0"
        role="slider"
        aria-valuemin="0"
        aria-valuemax="1"
        :aria-valuenow="p[1]"
        :aria-label="`Point ${k + 1} at ${p[0]}`"
        @keydown="(e) => key(e, k)"
        @dblclick="remove(k)"
      />
    </svg>
  </div>
</template>

<style scoped>
.head {
  display: grid;
  grid-template-columns: 106px 1fr auto;
  align-items: center;
  gap: 10px;
  min-height: 28px;
}
svg {
  display: block;
  width: 100%;
  touch-action: none;
  cursor: crosshair;
}
.head :deep(.p-toggleswitch) {
  grid-column: 3;
}
.ground {
  fill: color-mix(in srgb, var(--ink) 5%, var(--field));
}
.plain {
  stroke: var(--line);
}
.line {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.6;
}
circle {
  fill: var(--panel);
  stroke: var(--verdigris);
  stroke-width: 2;
  cursor: grab;
}
</style>
