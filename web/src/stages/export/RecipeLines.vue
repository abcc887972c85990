<script setup lang="ts">
import Button from 'primevue/button'
import Textarea from 'primevue/textarea'
import Menu from 'primevue/menu'
import { computed, ref } from 'vue'
import { useWork } from '../../stores/work'

/** Maps of one's own, a line each: `name=component,component`. What can stand in one is put in from a list. */
const lines = defineModel<string[]>({ required: true })
defineProps<{ /** Number of the line that the server refused. */ wrong?: number }>()
const work = useWork()
const menu = ref<InstanceType<typeof Menu>>()
const presets = computed(() =>
  Object.entries(work.catalogue?.packing.presets ?? {}).map(([name, recipe]) => ({
    label: name,
    command: () => (lines.value = [...recipe]),
  })),
)
const parts = ref<InstanceType<typeof Menu>>()
const at = ref(0)
const components = computed(() => [
  {
    label: 'Maps',
    items: Object.keys(work.catalogue?.packing.maps ?? {}).map((title) => ({
      label: title,
      command: () => add(title),
    })),
  },
  {
    label: 'Where a layer acted',
    items: (work.scene?.layers ?? []).map((layer) => ({
      label: layer.name,
      command: () => add(`mask:${layer.id}:acted`),
    })),
  },
])
function set(k: number, text: string) {
  lines.value = lines.value.map((line, n) => (n === k ? text : line))
}
function add(text: string) {
  const line = lines.value[at.value] ?? ''
  set(
    at.value,
    /[=,*-]\s*$/.test(line) || !line ? line + text : line.includes('=') ? `${line},${text}` : `${line}=${text}`,
  )
}
const fresh = () => (lines.value = [...lines.value, `map-${lines.value.length + 1}=`])
</script>

<template>
  <div class="lines" data-testid="recipe">
    <div v-for="(line, k) in lines" :key="k" class="row">
      <Textarea
        size="small"
        rows="1"
        auto-resize
        :model-value="line"
        :invalid="wrong === k"
        :aria-label="`Packed map ${k + 1}`"
        maxlength="300"
        spellcheck="false"
        @update:model-value="(text) => set(k, (text ?? '').replace(/\s*\n\s*/g, ''))"
        @focus="at = k"
      />
      <Button
        v-tooltip.left="'Put in a map or a mask'"
        size="small"
        text
        severity="secondary"
        icon="pi pi-chevron-circle-down"
        :aria-label="`Put something into map ${k + 1}`"
        aria-haspopup="menu"
        @click="((at = k), parts?.toggle($event))"
      />
      <Button
        v-tooltip.left="'Remove this map'"
        size="small"
        text
        severity="secondary"
        icon="pi pi-times"
        :aria-label="`Remove map ${k + 1}`"
        @click="lines = lines.filter((_, n) => n !== k)"
      />
    </div>
    <p v-if="!lines.length" class="muted">No map yet: begin with a recipe, or with one of your own.</p>
    <div class="buttons">
      <Button size="small" severity="secondary" icon="pi pi-plus" label="Map" @click="fresh" />
      <Button
        size="small"
        severity="secondary"
        icon="pi pi-angle-down"
        icon-pos="right"
        label="Recipes"
        aria-haspopup="menu"
        @click="menu?.toggle($event)"
      />
      <Menu ref="menu" :model="presets" popup append-to="self" />
      <Menu ref="parts" :model="components" popup class="parts" />
    </div>
    <p class="muted">
      orm=ambient-occlusion,roughness,metalness fills red, green and blue. 1-roughness turns it round, normal.g takes
      one component, a*b multiplies, 0.5 is a number.
    </p>
  </div>
</template>

<style scoped>
.lines {
  display: grid;
  gap: 6px;
}
.row {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 30px 30px;
  align-items: start;
}
.row :deep(textarea) {
  font-size: 13px;
  overflow-wrap: anywhere;
  resize: none;
}
.row :deep(button) {
  padding: 4px;
  width: 28px;
}
.buttons {
  display: flex;
  gap: 8px;
  position: relative;
}
</style>
<style>
.parts.p-menu {
  max-height: 320px;
  overflow-y: auto;
}
</style>
