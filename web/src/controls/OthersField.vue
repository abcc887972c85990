<script setup lang="ts">
import MultiSelect from 'primevue/multiselect'
import { computed } from 'vue'
import type { FieldSchema } from '../api/scene'
import { useNear } from '../stores/near'

/** Which neighbours and markers, or pieces of them: "id" or "id/piece". */
const props = defineProps<{ field: FieldSchema; name: string; modelValue: string[] }>()
const emit = defineEmits<{ done: [value: string[]] }>()
const near = useNear()
const groups = computed(() => {
  const found = near.value.map((one) => ({
    label: one.marker ? `Marker: ${one.name}` : one.name,
    items: [
      { value: one.id, label: one.pieces.length > 1 ? `All of ${one.name}` : one.name },
      ...(one.pieces.length > 1 ? one.pieces.map((piece) => ({ value: `${one.id}/${piece}`, label: piece })) : []),
    ],
  }))
  const known = new Set(found.flatMap((group) => group.items.map((item) => item.value)))
  // What is chosen and gone can be taken off.
  const gone = props.modelValue.filter((value) => !known.has(value))
  if (gone.length && near.value.length)
    found.push({
      label: 'Not there any more',
      items: gone.map((value) => ({ value, label: value.split('/').at(-1) ?? value })),
    })
  return found
})
</script>

<template>
  <div class="field-row" :data-field="name">
    <label v-tooltip.left="field.description || undefined" class="clip" :for="`f-${name}`">{{ field.title }}</label>
    <MultiSelect
      size="small"
      filter
      :input-id="`f-${name}`"
      :model-value="modelValue"
      :options="groups"
      option-label="label"
      option-value="value"
      option-group-label="label"
      option-group-children="items"
      :max-selected-labels="1"
      selected-items-label="{0} chosen"
      placeholder="All of them"
      empty-message="Add a neighbour or a marker in the Object stage"
      :show-toggle-all="false"
      @update:model-value="(v) => emit('done', v)"
    />
  </div>
</template>
