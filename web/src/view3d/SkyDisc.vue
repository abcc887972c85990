<script setup lang="ts">
import Slider from 'primevue/slider'
import { computed, ref } from 'vue'
import type { Light } from './sceneLight'

/** A disc seen from below the sky: the middle is overhead, the rim the horizon. Drag the light across it. */
const light = defineModel<Light>({ required: true })
const disc = ref<HTMLElement>()
const R = 33

const spot = computed(() => {
  const r = (1 - light.value.elevation / 90) * (R - 6)
  const a = (light.value.azimuth * Math.PI) / 180
  return { x: R + r * Math.sin(a), y: R + r * Math.cos(a) }
})

function move(event: PointerEvent) {
  const box = disc.value!.getBoundingClientRect()
  const x = event.clientX - box.left - R
  const y = event.clientY - box.top - R
  const r = Math.min(1, Math.hypot(x, y) / (R - 6))
  light.value = { ...light.value, azimuth: (Math.atan2(x, y) * 180) / Math.PI, elevation: Math.max(4, 90 * (1 - r)) }
}
function down(event: PointerEvent) {
  disc.value!.setPointerCapture(event.pointerId)
  move(event)
}
function key(event: KeyboardEvent) {
  const step = { ArrowLeft: [-10, 0], ArrowRight: [10, 0], ArrowUp: [0, 6], ArrowDown: [0, -6] }[event.key]
  if (!step) return
  event.preventDefault()
  event.stopPropagation()
  const azimuth = ((light.value.azimuth + step[0] + 540) % 360) - 180
  light.value = { ...light.value, azimuth, elevation: Math.min(88, Math.max(4, light.value.elevation + step[1])) }
}
const words = computed(
  () => `Light from ${Math.round(light.value.azimuth)}°, ${Math.round(light.value.elevation)}° high`,
)
</script>

<template>
  <div class="sky">
    <div
      ref="disc"
      v-tooltip.right="'Drag to turn the light; the middle is overhead'"
      class="disc"
      role="slider"
      tabindex="0"
      aria-label="Direction of the light"
      :aria-valuetext="words"
      :aria-valuenow="Math.round(light.azimuth)"
      aria-valuemin="-180"
      aria-valuemax="180"
      @pointerdown="down"
      @pointermove="(e) => e.buttons && move(e)"
      @keydown="key"
    >
      <i :style="{ left: `${spot.x}px`, top: `${spot.y}px` }" />
    </div>
    <Slider
      :model-value="light.strength"
      class="strength"
      orientation="vertical"
      :min="0.2"
      :max="2.5"
      :step="0.05"
      aria-label="Strength of the light"
      @update:model-value="(v) => (light = { ...light, strength: v as number })"
    />
  </div>
</template>

<style scoped>
.sky {
  display: flex;
  align-items: center;
  gap: 12px;
}
.disc {
  position: relative;
  width: 66px;
  height: 66px;
  border-radius: 50%;
  background: radial-gradient(circle at 50% 45%, #eef3f6, #b9c3ca 70%, #93a0a8);
  border: 1px solid rgb(255 255 255 / 55%);
  cursor: crosshair;
  touch-action: none;
}
.disc i {
  position: absolute;
  width: 13px;
  height: 13px;
  margin: -6.5px;
  border-radius: 50%;
  border: 2px solid #22262a;
  background: rgb(255 255 255 / 85%);
}
.strength {
  height: 56px;
}
.strength :deep(.p-slider-handle) {
  background: #fff;
}
</style>
