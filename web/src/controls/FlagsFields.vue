<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import { fieldsOf } from '../api/scene'
import { useWork } from '../stores/work'
import OptionalField from './OptionalField.vue'

/** Physical flags of a material, where they differ from its own. */
const props = defineProps<{ flags: Record<string, unknown>; own: string }>()
const emit = defineEmits<{ done: [name: string, value: unknown, title: string] }>()
const work = useWork()
const numbers = computed(() =>
  fieldsOf(work.catalogue?.flags ?? {}).filter(([, field]) => field.control === 'optional'),
)
const setFamily = (value: string | null) => emit('done', 'family', value, 'Family')
const families = computed(() => [
  { label: `as the material: ${work.catalogue?.families[props.own] ?? props.own}`, value: null as string | null },
  ...Object.entries(work.catalogue?.families ?? {}).map(([value, label]) => ({ label, value: value as string | null })),
])
</script>

<template>
  <div class="family">
    <label for="family">Family</label>
    <Select
      input-id="family"
      size="small"
      fluid
      :model-value="flags.family ?? null"
      :options="families"
      :placeholder="families[0].label"
      option-label="label"
      option-value="value"
      aria-label="Family of the substance"
      @update:model-value="setFamily"
    />
  </div>
  <OptionalField
    v-for="[name, field] in numbers"
    :key="name"
    :name="name"
    :field="field"
    :model-value="flags[name] as never"
    @done="(v) => emit('done', name, v, field.title ?? name)"
  />
</template>

<style scoped>
.family {
  display: grid;
  grid-template-columns: 106px minmax(0, 1fr);
  align-items: center;
  gap: 10px;
  min-height: 28px;
}
</style>
