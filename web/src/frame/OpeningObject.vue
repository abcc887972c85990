<script setup lang="ts">
import ProgressBar from 'primevue/progressbar'
import { computed, ref } from 'vue'
import { useWork } from '../stores/work'

/** An object on its way: how it looked last, and that it comes. */
const work = useWork()
const item = computed(() => work.projects.flatMap((p) => p.objects).find((o) => o.id === work.opening))
const blank = ref(false)
</script>

<template>
  <main class="opening" aria-busy="true">
    <figure>
      <img
        v-if="item && !blank"
        :src="`/api/objects/${item.id}/portrait.png?kept=${item.version}`"
        alt=""
        @error="blank = true"
      />
      <figcaption>
        <h1>{{ item?.name ?? 'The object' }}</h1>
        <p class="muted" role="status">Opening it…</p>
        <ProgressBar mode="indeterminate" aria-label="Opening" style="height: 3px" />
      </figcaption>
    </figure>
  </main>
</template>

<style scoped>
.opening {
  display: grid;
  place-items: center;
  background: #868686;
}
figure {
  margin: 0;
  width: 420px;
  background: var(--panel);
  border-radius: 5px;
  overflow: hidden;
}
img {
  display: block;
  width: 100%;
  aspect-ratio: 3 / 2;
  object-fit: cover;
  background: #868686;
}
figcaption {
  padding: 12px 16px 16px;
}
h1 {
  font-size: 16px;
}
p {
  margin: 2px 0 10px;
}
</style>
