<script setup lang="ts">
import Checkbox from 'primevue/checkbox'
import { computed } from 'vue'
import { useWork } from '../../stores/work'

/** Snapshots that go along, each as a variant of the materials. */
const chosen = defineModel<string[]>({ required: true })
const work = useWork()
const there = computed(() => (work.scene?.snapshots ?? []).map((one) => one.name))
</script>

<template>
  <div v-if="there.length" role="group" aria-label="Snapshots as variants" class="list">
    <p>Snapshots as variants</p>
    <label v-for="name in there" :key="name" class="tick">
      <Checkbox v-model="chosen" :value="name" size="small" />
      <span class="clip">{{ name }}</span>
    </label>
    <p class="muted">
      {{ chosen.length ? 'The maps of each lie in a folder of its own.' : 'None ticked: the surface as it is now.' }}
    </p>
  </div>
</template>

<style scoped>
.list {
  display: grid;
  gap: 6px;
}
.tick {
  display: flex;
  gap: 8px;
  align-items: center;
  min-width: 0;
}
</style>
