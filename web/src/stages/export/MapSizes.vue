<script setup lang="ts">
import Select from 'primevue/select'
import { computed, ref } from 'vue'

/** Maps that are to be smaller than the others; folded until one is. */
const sizes = defineModel<Record<string, number>>({ required: true })
const props = defineProps<{ titles: string[]; resolution: number }>()
const open = ref(false)
const offered = computed(() =>
  [1, 2, 4, 8, 16]
    .map((k) => props.resolution / k)
    .filter((size) => Number.isInteger(size) && size >= 16)
    .map((size) => ({ label: size === props.resolution ? `${size}, as the others` : String(size), value: size })),
)
const count = computed(() => props.titles.filter((title) => (sizes.value[title] ?? Infinity) < props.resolution).length)
function set(title: string, size: number) {
  const rest = Object.entries(sizes.value).filter(([one]) => one !== title)
  sizes.value = Object.fromEntries(size === props.resolution ? rest : [...rest, [title, size]])
}
</script>

<template>
  <button type="button" class="fold" :aria-expanded="open" @click="open = !open">
    <i class="pi" :class="open ? 'pi-chevron-down' : 'pi-chevron-right'" />
    Smaller maps
    <span class="muted">{{ count ? `${count} of ${titles.length}` : 'none' }}</span>
  </button>
  <div v-if="open" class="table">
    <label v-for="title in titles" :key="title">
      <span class="clip">{{ title }}</span>
      <Select
        size="small"
        :options="offered"
        option-label="label"
        option-value="value"
        :aria-label="`Size of ${title}`"
        :model-value="Math.min(sizes[title] ?? resolution, resolution)"
        @update:model-value="(size: number) => set(title, size)"
      />
    </label>
  </div>
</template>

<style scoped>
.fold {
  text-align: left;
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.fold i {
  font-size: 11px;
  color: var(--muted);
}
.table {
  display: grid;
  gap: 4px;
}
label {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 150px;
  align-items: center;
  gap: 8px;
}
</style>
