<script setup lang="ts">
import Checkbox from 'primevue/checkbox'
import InputNumber from 'primevue/inputnumber'

/** What becomes of the mesh itself. */
const moved = defineModel<boolean>('moved', { required: true })
const edge = defineModel<number | null>('edge', { required: true })
</script>

<template>
  <label class="tick">
    <Checkbox v-model="moved" binary size="small" />
    <span>The relief moves the vertices</span>
  </label>
  <div class="row">
    <label for="edge">Longest edge, mm</label>
    <InputNumber
      v-model="edge"
      :min="0.1"
      :max="10000"
      :max-fraction-digits="2"
      placeholder="as it is"
      size="small"
      input-id="edge"
    />
  </div>
  <p class="muted">The mesh is cut until no edge is longer; left empty, its triangles stay.</p>
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
  width: 96px;
}
</style>
