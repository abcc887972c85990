<script setup lang="ts">
import ColorPicker from 'primevue/colorpicker'
import InputText from 'primevue/inputtext'
import { computed, ref, watch } from 'vue'
import type { FieldSchema } from '../api/scene'
import { fromHex, toHex } from './colour'

const props = defineProps<{ field: FieldSchema; name: string; modelValue: number[] }>()
const emit = defineEmits<{ drag: [value: number[]]; done: [value: number[]] }>()
const hex = computed(() => toHex(props.modelValue))
const text = ref('')
watch(hex, (value) => (text.value = value), { immediate: true })
let moved = false
function pick(value: string) {
  const linear = fromHex(value)
  if (!linear || value === hex.value) return
  moved = true
  emit('drag', linear)
}
function close() {
  if (moved) emit('done', props.modelValue)
  moved = false
}
function type() {
  const linear = fromHex(text.value)
  if (linear && toHex(linear) !== hex.value) {
    emit('drag', linear)
    emit('done', linear)
  }
  text.value = hex.value
}
</script>

<template>
  <div class="row" :data-field="name">
    <label v-tooltip.left="field.description || undefined" class="clip" :for="`f-${name}`">{{ field.title }}</label>
    <div class="pick">
      <ColorPicker
        :model-value="hex"
        format="hex"
        :pt="{ preview: { 'aria-label': field.title } }"
        @update:model-value="pick"
        @hide="close"
      />
      <span class="bar" :style="{ background: `#${hex}` }" aria-hidden="true" />
    </div>
    <InputText
      :id="`f-${name}`"
      v-model="text"
      v-tooltip.left="'sRGB, hexadecimal'"
      size="small"
      class="value"
      :aria-label="`${field.title}, hexadecimal`"
      @blur="type"
      @keydown.enter="type"
    />
  </div>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 106px 1fr 70px;
  align-items: center;
  gap: 10px;
  min-height: 28px;
}
.pick {
  display: flex;
  align-items: center;
  gap: 8px;
}
.bar {
  flex: 1;
  height: 8px;
  border-radius: 2px;
  border: 1px solid var(--line);
}
.value {
  width: 100%;
  text-align: right;
}
</style>
