<script setup lang="ts">
import Textarea from 'primevue/textarea'
import type { FieldSchema } from '../api/scene'

/** A few words, on one line or more. */
defineProps<{ field: FieldSchema; name: string; modelValue: string }>()
const emit = defineEmits<{ drag: [value: string]; done: [value: string] }>()
</script>

<template>
  <div class="field-row" :data-field="name">
    <label v-tooltip.left="field.description || undefined" class="clip" :for="`f-${name}`">{{ field.title }}</label>
    <Textarea
      :id="`f-${name}`"
      size="small"
      rows="1"
      auto-resize
      maxlength="200"
      :model-value="modelValue"
      @update:model-value="(v) => emit('drag', v ?? '')"
      @change="(e) => emit('done', (e.target as HTMLTextAreaElement).value)"
    />
  </div>
</template>
