<script setup lang="ts">
import type { FieldSchema } from '../api/scene'
import { useHand } from '../stores/hand'
import { useWork } from '../stores/work'

/** Where a camera stands, taken from the view. */
defineProps<{ field: FieldSchema; name: string; modelValue: [number, number, number] | null }>()
const emit = defineEmits<{ done: [value: [number, number, number]] }>()
const work = useWork()
const hand = useHand()
function take() {
  const eye = work.sight.eye()
  const scale = work.object?.scale ?? 1
  if (eye) emit('done', hand.toFile(eye.map((x) => x / scale) as [number, number, number]))
}
</script>

<template>
  <div class="field-row" :data-field="name">
    <span v-tooltip.left="field.description || undefined" class="clip">{{ field.title }}</span>
    <span class="taken">
      <span class="muted clip">
        {{ modelValue ? modelValue.map((x) => Number(x.toPrecision(3))).join(', ') : 'none yet' }}
      </span>
      <button type="button" class="link" @click="take">
        {{ modelValue ? 'Take it anew' : 'Take it from the view' }}
      </button>
    </span>
  </div>
</template>

<style scoped>
.taken {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  min-width: 0;
}
</style>
