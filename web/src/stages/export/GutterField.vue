<script setup lang="ts">
import Checkbox from 'primevue/checkbox'
import InputNumber from 'primevue/inputnumber'
import SelectButton from 'primevue/selectbutton'
import { computed } from 'vue'

/** How far colors run on beyond the surface: everywhere, or so many pixels, or so many mm. */
const pixels = defineModel<number | null>('pixels', { required: true })
const mm = defineModel<number | null>('mm', { required: true })
const everywhere = computed({
  get: () => pixels.value === null && mm.value === null,
  set: (on) => set(on ? '' : 'px', 8),
})
const unit = computed({
  get: () => (mm.value === null ? 'px' : 'mm'),
  set: (now) => set(now, now === 'mm' ? 10 : 8),
})
function set(now: string, value: number) {
  pixels.value = now === 'px' ? value : null
  mm.value = now === 'mm' ? value : null
}
const value = computed({ get: () => mm.value ?? pixels.value, set: (n) => set(unit.value, n ?? 0) })
</script>

<template>
  <label class="tick">
    <Checkbox v-model="everywhere" binary size="small" />
    <span>Colors run on beyond the surface everywhere</span>
  </label>
  <div v-if="!everywhere" class="row">
    <label for="gutter">Gutter</label>
    <InputNumber
      v-model="value"
      :min="0"
      :max="unit === 'mm' ? 1000 : 64"
      :max-fraction-digits="unit === 'mm' ? 2 : 0"
      :allow-empty="false"
      size="small"
      show-buttons
      input-id="gutter"
    />
    <SelectButton v-model="unit" :options="['px', 'mm']" :allow-empty="false" size="small" aria-label="Gutter in" />
  </div>
</template>

<style scoped>
.tick,
.row {
  display: flex;
  gap: 8px;
  align-items: center;
}
.row label {
  flex: 1;
}
.row :deep(input) {
  width: 72px;
}
</style>
