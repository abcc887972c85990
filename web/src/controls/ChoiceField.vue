<script setup lang="ts">
import MultiSelect from 'primevue/multiselect'
import Select from 'primevue/select'
import ToggleSwitch from 'primevue/toggleswitch'
import InputNumber from 'primevue/inputnumber'
import { computed } from 'vue'
import type { FieldSchema } from '../api/scene'
import TryValues from './TryValues.vue'
import { useWork } from '../stores/work'

/** Everything that is chosen rather than slid: words, switches, parts, layers, seeds. */
const props = defineProps<{ field: FieldSchema; name: string; modelValue: unknown }>()
const emit = defineEmits<{ done: [value: unknown]; drag: [value: unknown] }>()
const work = useWork()

const options = computed(() => {
  if (props.field.control === 'layer') {
    const layers = work.scene?.layers ?? []
    const here = layers.findIndex((l) => l.id === work.selectedId)
    return layers
      .filter((_, k) => (props.field.earlier ? k < here : k !== here))
      .map((l) => ({ value: l.id, label: l.name }))
  }
  if (props.field.control === 'exposed' || props.field.control === 'coat') {
    const layers = work.scene?.layers ?? []
    const here = layers.findIndex((l) => l.id === work.selectedId)
    const earlier = layers.slice(0, here).filter((l) => work.effects.get(l.effect.kind)?.family !== 'loss')
    // A layer that leaves several coats can be named as a whole, or one of them.
    const coats = earlier.flatMap((l) => [
      { value: l.id, label: l.name },
      ...Object.entries(work.effects.get(l.effect.kind)?.pieces ?? {}).map(([piece, title]) => ({
        value: `${l.id}/${piece}`,
        label: `${l.name}: ${String(title).toLowerCase()}`,
      })),
    ])
    // Families that are there first; the rest is for what a later edit brings.
    const shown = work.evaluation?.exposed ?? {}
    const names = Object.entries(props.field.names ?? {}).map(([value, label]) => ({ value, label }))
    const there = (value: string) => !value.startsWith('family:') || value.slice(7) in shown
    const known = names.filter((n) => there(n.value) || n.value === props.modelValue)
    const rest = names.filter((n) => !known.includes(n)).map((n) => ({ ...n, label: `${n.label} (none here)` }))
    return [...known, ...coats, ...rest]
  }
  return (props.field.enum ?? []).map((value) => ({ value, label: props.field.names?.[value] ?? value }))
})
</script>

<template>
  <div class="field-row" :data-field="name">
    <label v-tooltip.left="field.description || undefined" class="clip" :for="`f-${name}`">{{ field.title }}</label>
    <ToggleSwitch
      v-if="field.control === 'switch'"
      :input-id="`f-${name}`"
      :model-value="Boolean(modelValue)"
      @update:model-value="(v) => emit('done', v)"
    />
    <MultiSelect
      v-else-if="field.control === 'parts'"
      size="small"
      filter
      :input-id="`f-${name}`"
      :model-value="modelValue"
      :options="work.parts"
      :max-selected-labels="1"
      selected-items-label="{0} parts"
      placeholder="Choose parts"
      @update:model-value="(v) => emit('done', v)"
    />
    <span v-else-if="field.control === 'seed'" class="seed">
      <InputNumber
        :input-id="`f-${name}`"
        size="small"
        :model-value="Number(modelValue)"
        :min="0"
        :max="999999"
        :use-grouping="false"
        fluid
        @update:model-value="(v) => emit('done', v ?? 0)"
      />
      <button
        v-tooltip.left="'Another pattern'"
        type="button"
        class="icon-button"
        aria-label="Another pattern"
        @click="emit('done', Math.floor(Math.random() * 10000))"
      >
        <i class="pi pi-refresh" />
      </button>
      <TryValues :field="field" :value="Number(modelValue)" @set="(v) => emit('drag', v)" />
    </span>
    <Select
      v-else
      size="small"
      :input-id="`f-${name}`"
      :aria-label="field.title"
      :model-value="modelValue"
      :options="options"
      option-label="label"
      option-value="value"
      :placeholder="field.control === 'layer' || field.control === 'coat' ? 'Choose a layer' : undefined"
      empty-message="There is none to choose"
      @update:model-value="(v) => emit('done', v)"
    />
  </div>
</template>

<style scoped>
.field-row > :deep(.p-toggleswitch) {
  justify-self: end;
}
.seed {
  display: flex;
  gap: 4px;
  align-items: center;
}
</style>
