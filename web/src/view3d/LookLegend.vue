<script setup lang="ts">
import { computed } from 'vue'
import type { Legend } from '../api/scene'

const props = defineProps<{ legend: Legend }>()
const ramp = computed(
  () => `linear-gradient(to right, ${props.legend.stops.map(([at, c]) => `${c} ${at * 100}%`).join(', ')})`,
)
const show = (x: number) => {
  const size = Math.abs(x)
  const number = size >= 100 ? x.toFixed(0) : Number(x.toFixed(size >= 1 ? 2 : 3))
  return `${number}${props.legend.unit ? ` ${props.legend.unit}` : ''}`
}
</script>

<template>
  <div class="legend chip" aria-label="Legend">
    <span>{{ show(legend.low) }} {{ legend.low_word }}</span>
    <i :style="{ background: ramp }" />
    <span>{{ show(legend.high) }} {{ legend.high_word }}</span>
  </div>
</template>

<style scoped>
.legend i {
  width: 110px;
  height: 10px;
  border: 1px solid var(--line);
  border-radius: 2px;
}
</style>
