<script setup lang="ts">
import FlagsFields from '../../controls/FlagsFields.vue'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'

/** What effects ask of the substance: rust needs iron, wetting darkens by pores. */
const work = useWork()
const bases = useBases()
function set(name: string, value: unknown, title: string) {
  work.edit(`${bases.base ? bases.title(bases.base) : 'Base'}: ${title.toLowerCase()}`, () => {
    bases.base!.flags[name] = value
  })
}
</script>

<template>
  <div v-if="bases.base">
    <p class="muted lead">Effects look at these: rust needs iron, verdigris copper; wetting darkens by the pores.</p>
    <FlagsFields :flags="bases.base.flags" :own="bases.material?.family ?? ''" @done="set" />
  </div>
</template>

<style scoped>
.lead {
  padding-bottom: 6px;
}
</style>
