<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { pictureUrl } from '../../api/pictures'
import { percent } from '../../figures/format'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'

/** The bases on the object, the channels they fill, and the maps that came with the file. */
const work = useWork()
const bases = useBases()
const rows = computed(() =>
  bases.bases.map((b, k) => {
    const found = bases.said.get(k)
    const words = liesOn.value[k] ?? ''
    return {
      k,
      title: bases.title(b),
      words: bases.isAsInFile(b) ? [words, 'as in the file'].filter(Boolean).join(', ') : words,
      share: found?.share ?? 0,
      picture: found?.picture,
      notes: found?.notes ?? [],
    }
  }),
)
/** By the core's account; what was last said stays while a new answer is on its way. */
const liesOn = ref<string[]>([])
watch(
  () => work.evaluation?.lies_on,
  (found) => {
    if (found?.length) liesOn.value = found
  },
  { immediate: true },
)
const channels = ref<Record<string, string>>({
  base_color: 'Base color',
  roughness: 'Roughness',
  metalness: 'Metalness',
})
watch(
  () => work.evaluation?.channels,
  (found) => {
    if (found && Object.keys(found).length) channels.value = found
  },
  { immediate: true },
)
</script>

<template>
  <nav class="side-list" aria-label="Bases and channels">
    <h2 class="muted">Bases</h2>
    <button
      v-for="row in rows"
      :key="row.k"
      v-tooltip.right="row.notes.length ? row.notes.join('. ') : undefined"
      type="button"
      class="row base"
      :class="{ on: bases.chosen === row.k }"
      :aria-pressed="bases.chosen === row.k"
      :data-base="row.k"
      @click="bases.chosen = row.k"
    >
      <img v-if="row.picture" :src="pictureUrl(row.picture)" alt="" />
      <i v-else class="blank" />
      <span class="two">
        <span class="name clip">{{ row.title }}</span>
        <span class="muted clip">{{ row.words }}</span>
      </span>
      <span class="muted share">
        <i v-if="row.notes.length" class="pi pi-info-circle warn" aria-label="has notes" />
        {{ percent(row.share) }}
      </span>
    </button>
    <h2 class="muted">Channels</h2>
    <button
      type="button"
      class="row"
      :class="{ on: work.look.kind === 'lit' }"
      :aria-current="work.look.kind === 'lit'"
      @click="work.show({ kind: 'lit' })"
    >
      <i class="blank" />
      <span>Lit</span>
      <kbd>L</kbd>
    </button>
    <button
      v-for="(title, name) in channels"
      :key="name"
      type="button"
      class="row"
      :class="{ on: work.look.kind === 'channel' && work.look.name === name }"
      :aria-current="work.look.kind === 'channel' && work.look.name === name"
      :data-look="name"
      @click="work.show({ kind: 'channel', name: String(name) })"
    >
      <img
        v-if="work.evaluation?.pictures[`channel:${name}`]"
        :src="pictureUrl(work.evaluation.pictures[`channel:${name}`])"
        alt=""
      />
      <i v-else class="blank" />
      <span class="clip">{{ title }}</span>
      <span v-if="name === 'relief'" class="muted share">mm</span>
    </button>
  </nav>
</template>

<style scoped>
.base {
  padding: 4px 14px;
}
.two {
  display: grid;
  min-width: 0;
  flex: 1;
}
.base img,
.base .blank {
  width: 30px;
  height: 30px;
}
.warn {
  color: var(--oxide);
  font-size: 11px;
}
.share {
  margin-left: auto;
  white-space: nowrap;
}
</style>
