<script setup lang="ts">
import { computed } from 'vue'
import { pictureUrl } from '../../api/pictures'
import { useWork } from '../../stores/work'

/** What the object consists of, and the pictures of its UVs. */
const part = defineModel<number>({ required: true })
const emit = defineEmits<{ frame: [] }>()
const work = useWork()
const uvs = computed(() =>
  work.facts?.uv.present
    ? Object.entries(work.catalogue?.uv_looks ?? {}).map(([name, [title, about]]) => ({ name, title, about }))
    : [],
)
const many = computed(() => (work.facts?.map_sets.length ?? 1) > 1)
const is = (name: string) => work.look.kind === 'uv' && work.look.name === name
</script>

<template>
  <nav class="side-list" aria-label="Parts and UVs">
    <h2 class="muted">Surface</h2>
    <button
      type="button"
      class="row"
      :class="{ on: work.look.kind === 'lit' }"
      :aria-current="work.look.kind === 'lit'"
      @click="work.show({ kind: 'lit' })"
    >
      <span class="name">As made</span>
      <kbd>L</kbd>
    </button>
    <template v-if="uvs.length">
      <h2 class="muted">UVs</h2>
      <button
        v-for="uv in uvs"
        :key="uv.name"
        v-tooltip.right="uv.about"
        type="button"
        class="row"
        :class="{ on: is(uv.name) }"
        :aria-current="is(uv.name)"
        :data-look="`uv-${uv.name}`"
        @click="work.show({ kind: 'uv', name: uv.name })"
      >
        <img
          v-if="work.evaluation?.pictures[`uv:${uv.name}`]"
          :src="pictureUrl(work.evaluation.pictures[`uv:${uv.name}`])"
          alt=""
        />
        <i v-else class="blank" />
        <span class="clip">{{ uv.title }}</span>
      </button>
    </template>
    <h2 class="muted">Parts</h2>
    <button
      v-for="(p, k) in work.facts?.parts ?? []"
      :key="p.name"
      v-tooltip.right="
        `${p.triangles.toLocaleString('en')} triangles${many ? `, map set ${p.map_set}` : ''}. Double-click to frame it`
      "
      type="button"
      class="row part"
      :class="{ on: part === k }"
      :aria-pressed="part === k"
      :data-part="p.name"
      @click="part = part === k ? -1 : k"
      @dblclick="((part = k), emit('frame'))"
    >
      <span class="clip">{{ p.name }}</span>
      <span class="muted count">{{ p.triangles.toLocaleString('en') }}</span>
    </button>
  </nav>
</template>

<style scoped>
.part {
  min-height: 25px;
}

.count {
  margin-left: auto;
}
</style>
