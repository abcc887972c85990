<script setup lang="ts">
import { inject } from 'vue'
import type { FieldSchema } from '../api/scene'
import { OUTSIDE, nameOf } from '../stores/outside'
import { useBrackets } from '../stores/brackets'

/** The mark on a number: see the surface with it lower and higher, side by side. */
const props = defineProps<{ field: FieldSchema; value: number }>()
const emit = defineEmits<{ set: [value: number] }>()
const brackets = useBrackets()
const outside = inject(OUTSIDE, false)
const begin = () =>
  brackets.begin(props.field, nameOf(props.field.title ?? ''), props.value, (value) => emit('set', value))
</script>

<template>
  <button
    v-if="!outside"
    v-tooltip.left="brackets.awaits ? 'Try it together with the other number' : 'See several values of it side by side'"
    type="button"
    class="try"
    :class="{ awaited: brackets.awaits }"
    :aria-label="`${field.title}, try values`"
    @click="begin"
  >
    <i />
    <i />
    <i />
  </button>
</template>

<style scoped>
.try {
  width: 17px;
  height: 22px;
  display: inline-flex;
  align-items: center;
  justify-content: center;
  gap: 2px;
  border-radius: 3px;
}
.try i {
  width: 3px;
  background: var(--muted);
  opacity: 0.55;
}
.try i:nth-child(1) {
  height: 5px;
}
.try i:nth-child(2) {
  height: 9px;
}
.try i:nth-child(3) {
  height: 13px;
}
.try:hover i,
.try:focus-visible i,
.try.awaited i {
  background: var(--verdigris);
  opacity: 1;
}
</style>
