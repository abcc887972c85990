<script setup lang="ts">
import { ref } from 'vue'
import { useWork } from '../stores/work'
import type { Unmade } from '../stores/work/waiting'
import ToDecide from './ToDecide.vue'

/**
 * Edits that were refused because another window changed the scene first: each can be made again on the scene as it is
 * now.
 */
const work = useWork()
const busy = ref(false)
async function make(edit: Unmade) {
  busy.value = true
  await work.makeAgain(edit)
  busy.value = false
}
</script>

<template>
  <ToDecide v-if="work.unmade.length" label="Edits that were not saved" trouble>
    <p>Overtaken by another window, and not saved:</p>
    <ul>
      <li v-for="(edit, k) in work.unmade" :key="k">
        <b class="clip">{{ edit.label }}</b>
        <button
          type="button"
          class="link"
          :disabled="busy"
          :aria-label="`Make '${edit.label}' again`"
          @click="make(edit)"
        >
          Make it again
        </button>
        <button
          type="button"
          class="link"
          :disabled="busy"
          :aria-label="`Leave '${edit.label}'`"
          @click="work.dismiss(edit)"
        >
          Leave it
        </button>
      </li>
    </ul>
  </ToDecide>
</template>

<style scoped>
p {
  color: var(--oxide);
}
ul {
  display: flex;
  margin: 0;
  flex-wrap: wrap;
  gap: 4px 20px;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  gap: 8px;
  align-items: baseline;
  max-width: 420px;
}
</style>
