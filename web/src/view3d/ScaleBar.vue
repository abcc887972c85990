<script setup lang="ts">
import { computed } from 'vue'

const props = defineProps<{ perPixel: number }>()

/** The round length nearest to a hundred pixels. */
const bar = computed(() => {
  const wanted = props.perPixel * 110
  if (!(wanted > 0)) return { width: 0, text: '' }
  const ten = 10 ** Math.floor(Math.log10(wanted))
  const length = [5, 2, 1].map((k) => k * ten).find((l) => l <= wanted) ?? ten
  const text = length >= 1000 ? `${length / 1000} m` : length >= 1 ? `${length} mm` : `${Math.round(length * 1000)} µm`
  return { width: length / props.perPixel, text }
})
</script>

<template>
  <div class="scale chip" :aria-label="`Scale bar: ${bar.text}`" role="img">
    <span>{{ bar.text }}</span>
    <i :style="{ width: `${bar.width}px` }" />
  </div>
</template>

<style scoped>
/* On a ground of its own: over snow and light stone nothing else would be read. */
.scale {
  display: grid;
  justify-items: center;
  pointer-events: none;
  padding: 2px 8px 6px;
  font-weight: 600;
}
i {
  display: block;
  height: 2px;
  background: var(--ink);
}
</style>
