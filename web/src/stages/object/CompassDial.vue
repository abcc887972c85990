<script setup lang="ts">
import { computed, ref } from 'vue'

/** A plan from above with you at its foot: drag N, or the tail of the wind. */
const props = defineProps<{ north: number; wind: number }>()
const emit = defineEmits<{ north: [value: number, end: boolean]; wind: [value: number, end: boolean] }>()
const dial = ref<SVGSVGElement>()
const at = (degrees: number, radius: number) => {
  const a = (degrees * Math.PI) / 180
  return { x: Math.sin(a) * radius, y: -Math.cos(a) * radius }
}
const n = computed(() => at(props.north, 37))
const from = computed(() => at(props.north + props.wind, 46))
const to = computed(() => at(props.north + props.wind, 16))
const words = ['north', 'north-east', 'east', 'south-east', 'south', 'south-west', 'west', 'north-west']
const named = computed(() => words[Math.round((((props.wind % 360) + 360) % 360) / 45) % 8])

let held: 'north' | 'wind' | undefined
function grab(what: 'north' | 'wind', event: PointerEvent) {
  held = what
  dial.value?.setPointerCapture(event.pointerId)
}
function tell(event: PointerEvent, end: boolean) {
  if (!held || !dial.value) return
  const box = dial.value.getBoundingClientRect()
  const x = event.clientX - box.left - box.width / 2
  const y = event.clientY - box.top - box.height / 2
  const bearing = (Math.round((Math.atan2(x, -y) * 180) / Math.PI / 5) * 5 + 360) % 360
  if (held === 'north') emit('north', bearing, end)
  else emit('wind', (bearing - props.north + 720) % 360, end)
  if (end) held = undefined
}
function key(what: 'north' | 'wind', event: KeyboardEvent) {
  const step = { ArrowLeft: -5, ArrowDown: -5, ArrowRight: 5, ArrowUp: 5 }[event.key]
  if (!step) return
  event.preventDefault()
  if (what === 'north') emit('north', (props.north + step + 360) % 360, true)
  else emit('wind', (props.wind + step + 360) % 360, true)
}
</script>

<template>
  <figure>
    <svg
      ref="dial"
      viewBox="-62 -62 124 124"
      width="132"
      height="132"
      @pointermove="(e) => tell(e, false)"
      @pointerup="(e) => tell(e, true)"
    >
      <circle r="50" class="ring" />
      <line
        v-for="k in 24"
        :key="k"
        v-bind="{
          x1: at(north + k * 15, 50).x,
          y1: at(north + k * 15, 50).y,
          x2: at(north + k * 15, k % 6 ? 47 : 43).x,
          y2: at(north + k * 15, k % 6 ? 47 : 43).y,
        }"
        class="tick"
      />
      <rect x="-9" y="-9" width="18" height="18" rx="3" class="thing" />
      <line :x1="from.x" :y1="from.y" :x2="to.x" :y2="to.y" class="wind" marker-end="url(#head)" />
      <circle
        :cx="from.x"
        :cy="from.y"
        r="8"
        class="grip wind-grip"
        tabindex="0"
        role="slider"
        aria-label="Wind from"
        :aria-valuenow="wind"
        :aria-valuetext="`${Math.round(wind)} degrees, ${named}`"
        data-testid="wind-grip"
        @pointerdown="(e) => grab('wind', e)"
        @keydown="(e) => key('wind', e)"
      />
      <g
        :transform="`translate(${n.x} ${n.y})`"
        class="grip"
        tabindex="0"
        role="slider"
        aria-label="North"
        :aria-valuenow="north"
        @pointerdown="(e) => grab('north', e)"
        @keydown="(e) => key('north', e)"
      >
        <circle r="9" class="north" />
        <text y="4">N</text>
      </g>
      <defs>
        <marker id="head" viewBox="0 0 8 8" refX="6" refY="4" markerWidth="6" markerHeight="6" orient="auto">
          <path d="M0 0 8 4 0 8z" class="head" />
        </marker>
      </defs>
    </svg>
    <figcaption class="muted">
      Wind from the {{ named }}.
      <br />
      Seen from above; the view's right is right.
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 8px 0 0;
  display: flex;
  align-items: center;
  gap: 14px;
}
svg {
  flex: none;
  touch-action: none;
  user-select: none;
}
.ring {
  fill: var(--paper);
  stroke: var(--line);
}
.tick {
  stroke: var(--muted);
}
.thing {
  fill: color-mix(in srgb, var(--ink) 22%, var(--paper));
}
.wind {
  stroke: var(--verdigris);
  stroke-width: 2.5;
}
.head {
  fill: var(--verdigris);
}
.grip {
  cursor: grab;
}
.wind-grip {
  fill: var(--panel);
  stroke: var(--verdigris);
  stroke-width: 2;
}
.north {
  fill: var(--panel);
  stroke: var(--ink);
}
text {
  font-size: 11px;
  font-weight: 600;
  text-anchor: middle;
  fill: var(--ink);
}
</style>
