<script setup lang="ts">
import Button from 'primevue/button'
import { computed } from 'vue'
import type { MapUse } from '../../api/scene'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'
import RoleTable from '../../controls/RoleTable.vue'

/** The maps of the chosen base. */
const emit = defineEmits<{ more: [] }>()
const work = useWork()
const bases = useBases()
const uses = computed(() => (bases.base?.material.maps ?? []) as MapUse[])
const names = computed(() => Object.fromEntries(uses.value.map((u) => [u.file, u.file.split('/').at(-1) ?? u.file])))
function change(k: number, use: MapUse) {
  work.edit(`${bases.title(bases.base!)}: role of a map`, () => (uses.value[k] = use))
}
</script>

<template>
  <div>
    <RoleTable :uses="uses" :names="names" narrow @change="change" />
    <Button class="more" size="small" severity="secondary" label="Other texture files…" @click="emit('more')" />
  </div>
</template>

<style scoped>
.more {
  margin: 6px 0;
}
</style>
