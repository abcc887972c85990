<script setup lang="ts">
import ToggleSwitch from 'primevue/toggleswitch'
import { computed } from 'vue'
import type { Entry } from '../../api/scene'
import FieldList from '../../controls/FieldList.vue'
import RecipeEditor from '../../recipe/RecipeEditor.vue'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'

/** A base that lies over the ones before it, as far as a mask goes; where they meet the higher one wins. */
const work = useWork()
const bases = useBases()
const place = computed(() => `bases[${bases.chosen}]`)
/** A base cannot be placed by what happens later. */
const fits = (s: Entry) => !s.looks_back && s.group !== 'The chronicle'
const lie = (on: boolean) => void work.run('base-by-mask', { base: bases.chosen, on })
</script>

<template>
  <section v-if="bases.base" class="by-mask">
    <div class="switch">
      <label for="lies-over">Lies over the others by a mask</label>
      <ToggleSwitch input-id="lies-over" :model-value="!!bases.base.where" @update:model-value="lie" />
    </div>
    <template v-if="bases.base.where">
      <RecipeEditor
        :key="place"
        :recipe="bases.base.where"
        :place="place"
        :name="bases.title(bases.base)"
        said=""
        on
        by-hand
        :fits="fits"
      />
      <FieldList
        v-if="work.catalogue"
        :schema="work.catalogue.base"
        :values="bases.base"
        :only="['blend_mm', 'stands_mm']"
        @drag="(n, v) => ((bases.base![n] = v), work.preview())"
        @done="(_n, _v, title) => bases.done(title)"
      />
    </template>
  </section>
</template>

<style scoped>
.by-mask {
  border-top: 1px solid var(--line);
  margin-top: 8px;
  padding-top: 6px;
}
/* The tab has the room at the sides already. */
.by-mask :deep(.sheet-part) {
  padding-left: 0;
  padding-right: 0;
  border: 0;
}
.switch {
  display: flex;
  align-items: center;
  justify-content: space-between;
  min-height: 28px;
}
</style>
