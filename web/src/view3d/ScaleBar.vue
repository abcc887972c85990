<script setup lang="ts">
import { computed } from 'vue'
import { barOf } from './stillMarks'

const props = defineProps<{ perPixel: number }>()

const bar = computed(() => barOf(props.perPixel, 110))
</script>

<template>
  <div class="scale chip" :aria-label="`Scale bar: ${bar.text}`" role="img">
    <span>{{ bar.text }}</span>
    <i :style="{ width: `${bar.pixels}px` }" />
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
