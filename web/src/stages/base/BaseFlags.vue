<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import OptionalField from '../../controls/OptionalField.vue'
import { fieldsOf } from '../../api/scene'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'

/** What effects ask of the substance: rust needs iron, wetting darkens by pores. */
const work = useWork()
const bases = useBases()
const numbers = computed(() =>
  fieldsOf(work.catalogue?.flags ?? {}).filter(([, field]) => field.control === 'optional'),
)
const own = computed(() => bases.material?.family ?? '')
const families = computed(() => [
  { label: `as the material: ${work.catalogue?.families[own.value] ?? own.value}`, value: null as string | null },
  ...Object.entries(work.catalogue?.families ?? {}).map(([value, label]) => ({ label, value: value as string | null })),
])
const flag = (name: string) => (bases.base?.flags[name] ?? null) as number | null
const setFamily = (value: string | null) => set('family', value)
function set(name: string, value: unknown) {
  const title = new Map(fieldsOf(work.catalogue?.flags ?? {})).get(name)?.title ?? name
  work.edit(`${bases.base ? bases.title(bases.base) : 'Base'}: ${title.toLowerCase()}`, () => {
    bases.base!.flags[name] = value
  })
}
</script>

<template>
  <div v-if="bases.base">
    <p class="muted lead">Effects look at these: rust needs iron, verdigris copper; wetting darkens by the pores.</p>
    <div class="family">
      <label for="family">Family</label>
      <Select
        input-id="family"
        size="small"
        fluid
        :model-value="bases.base.flags.family ?? null"
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
      :model-value="flag(name)"
      @done="(v) => set(name, v)"
    />
  </div>
</template>

<style scoped>
.lead {
  padding-bottom: 6px;
}
.family {
  display: grid;
  grid-template-columns: 106px minmax(0, 1fr);
  align-items: center;
  gap: 10px;
  min-height: 28px;
}
</style>
