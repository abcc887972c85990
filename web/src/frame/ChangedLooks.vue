<script setup lang="ts">
import { computed } from 'vue'
import { api } from '../api/client'
import { useWork } from '../stores/work'

/** An upgrade changed how some layers look: which, and how the object looked before beside how it looks now. */
const work = useWork()
const names = computed(() => work.object?.looks_changed ?? [])
async function accept() {
  const item = work.object
  if (!item) return
  await api.POST('/api/objects/{object_id}/looks-good', { params: { path: { object_id: item.id } } })
  if (work.object?.id === item.id) work.object = { ...work.object, looks_changed: [] }
}
</script>

<template>
  <section v-if="names.length && work.object" class="changed" aria-label="Looks that changed">
    <p>
      Made with an earlier version of Limus.
      <b>{{ names.slice(0, 6).join(', ') }}{{ names.length > 6 ? ` and ${names.length - 6} more` : '' }}</b>
      {{ names.length === 1 ? 'looks' : 'look' }} different now.
    </p>
    <figure v-if="work.object.looked">
      <img :src="`/api/objects/${work.object.id}/portrait-before.png`" alt="" />
      <figcaption class="muted">before</figcaption>
    </figure>
    <figure>
      <img :src="`/api/objects/${work.object.id}/portrait.png?v=${work.version?.version}-now`" alt="" />
      <figcaption class="muted">now</figcaption>
    </figure>
    <button type="button" class="link" @click="accept">It may look so</button>
  </section>
</template>

<style scoped>
.changed {
  display: flex;
  gap: 16px;
  align-items: center;
  padding: 6px 14px;
  background: var(--panel);
  border-bottom: 1px solid var(--line);
}
p {
  margin: 0;
  flex: 1;
}
figure {
  margin: 0;
  display: flex;
  gap: 6px;
  align-items: center;
}
img {
  height: 56px;
  border-radius: 3px;
  background: #868686;
}
</style>
