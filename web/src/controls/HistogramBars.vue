<script setup lang="ts">
import { computed } from 'vue'

/** How values are spread over the real surface, from black at the left to white at the right. */
const props = defineProps<{ bars: number[] }>()
const path = computed(() => {
  const top = Math.max(...props.bars, 1e-9)
  const step = 54 / props.bars.length
  // The square root keeps small shares visible beside a tall bar.
  return (
    'M0 22' +
    props.bars
      .map(
        (b, k) =>
          `L${(k * step).toFixed(1)} ${(22 - 21 * Math.sqrt(b / top)).toFixed(1)}H${((k + 1) * step).toFixed(1)}`,
      )
      .join('') +
    'V22Z'
  )
})
</script>

<template>
  <svg class="bars" viewBox="0 0 54 22" width="54" height="22" role="img" aria-label="Histogram, black to white">
    <path :d="path" />
  </svg>
</template>

<style scoped>
.bars {
  border-bottom: 1px solid var(--line);
}
path {
  fill: color-mix(in srgb, var(--muted) 55%, transparent);
}
</style>
