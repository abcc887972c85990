<script setup lang="ts">
import { computed } from 'vue'

/** A short stroke of a brush, drawn from its settings. */
const props = defineProps<{ settings: Record<string, unknown> }>()
const W = 72
const H = 24
const SIZE = 13
/** The same number for the same place, 0 to 1. */
const chance = (k: number) => {
  const x = Math.sin(k * 127.1 + 11.7) * 43758.5453
  return x - Math.floor(x)
}
const dabs = computed(() => {
  const s = props.settings
  const apart = Math.max(1.2, Number(s.spacing ?? 0.15) * SIZE)
  const count = Math.min(60, Math.max(2, Math.floor((W - SIZE) / apart) + 1))
  return Array.from({ length: count }, (_, k) => {
    const t = count > 1 ? k / (count - 1) : 0.5
    const stray = Number(s.scatter ?? 0) * SIZE * 0.5
    const x = SIZE / 2 + t * (W - SIZE) + (chance(k) - 0.5) * stray
    const y = H / 2 + Math.sin(t * 6.3) * 4 + (chance(k + 99) - 0.5) * stray * 1.3
    // As a pen presses: lightly, then hard, then lightly.
    const press = 1 - Number(s.pressure_size ?? 0) * (1 - Math.sin(t * Math.PI))
    return { x, y, r: Math.max(0.8, (SIZE / 2) * press), cut: s.shape === 'ragged' ? `${2 + chance(k) * 3} 1.6` : '' }
  })
})
const soft = computed(() => Math.round(Number(props.settings.hardness ?? 0.6) * 100))
const id = `brush-${Math.random().toString(36).slice(2)}`
</script>

<template>
  <svg :width="W" :height="H" :viewBox="`0 0 ${W} ${H}`" aria-hidden="true">
    <radialGradient :id="id">
      <stop :offset="`${soft}%`" stop-color="currentColor" :stop-opacity="0.15 + 0.85 * Number(settings.flow ?? 1)" />
      <stop offset="100%" stop-color="currentColor" :stop-opacity="soft >= 100 ? 1 : 0" />
    </radialGradient>
    <template v-for="(dab, k) in dabs" :key="k">
      <rect
        v-if="settings.shape === 'square'"
        :x="dab.x - dab.r"
        :y="dab.y - dab.r"
        :width="dab.r * 2"
        :height="dab.r * 2"
        fill="currentColor"
        :fill-opacity="Number(settings.flow ?? 1)"
      />
      <circle
        v-else-if="dab.cut"
        :cx="dab.x"
        :cy="dab.y"
        :r="dab.r * 0.6"
        fill="none"
        stroke="currentColor"
        :stroke-width="dab.r"
        :stroke-dasharray="dab.cut"
        :stroke-opacity="0.12 + 0.6 * Number(settings.flow ?? 1)"
      />
      <circle v-else :cx="dab.x" :cy="dab.y" :r="dab.r" :fill="`url(#${id})`" />
    </template>
  </svg>
</template>
