<script setup lang="ts">
import Button from 'primevue/button'
import ProgressBar from 'primevue/progressbar'
import { computed } from 'vue'
import { useWork } from '../stores/work'

/** How far the readings are that the view waits for. */
const work = useWork()
const progress = computed(() => Math.round((work.measuring?.progress ?? 0) * 100))
</script>

<template>
  <div v-if="work.measuring" class="measuring chip" role="status">
    <div>
      <b>{{ work.measuring.word || 'Waiting to measure' }}</b>
      <span class="muted">
        {{ progress }} %
        <template v-if="work.measuring.seconds_left">
          , about {{ Math.ceil(work.measuring.seconds_left) }} s left
        </template>
      </span>
      <ProgressBar :value="progress" :show-value="false" style="height: 4px; width: 220px; margin-top: 6px" />
    </div>
    <Button size="small" severity="secondary" label="Cancel" @click="work.cancelMeasuring()" />
  </div>
</template>

<style scoped>
.measuring {
  position: absolute;
  left: 50%;
  bottom: 22px;
  transform: translateX(-50%);
  padding: 10px 14px;
  gap: 18px;
}
.muted {
  margin-left: 8px;
}
</style>
