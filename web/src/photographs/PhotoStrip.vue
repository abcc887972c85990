<script setup lang="ts">
import { ref } from 'vue'
import { usePhotographs } from '../stores/photographs'

/** The photographs of the project in a row; more are dropped, pasted or chosen. */
defineEmits<{ wall: [] }>()
const photos = usePhotographs()
const picker = ref<HTMLInputElement>()
function chosen() {
  void photos.add([...(picker.value?.files ?? [])])
  picker.value!.value = ''
}
</script>

<template>
  <section class="band" aria-label="Photographs of the real thing">
    <div class="head">
      <b>Photographs</b>
      <p v-if="photos.busy" class="muted" role="status">{{ photos.busy }}…</p>
      <p v-else-if="photos.wrong" class="trouble" role="alert">{{ photos.wrong }}</p>
      <p v-else class="muted">Drop or paste pictures of the real thing anywhere on this stage.</p>
      <span class="acts">
        <button type="button" class="link" @click="picker?.click()">Choose files…</button>
        <button v-if="photos.all.length > 1" type="button" class="link" @click="$emit('wall')">Wall</button>
      </span>
      <input
        ref="picker"
        type="file"
        multiple
        hidden
        accept=".png,.jpg,.jpeg,.webp,.tif,.tiff,.heic,.heif"
        aria-label="Photographs to hang on the wall"
        @change="chosen"
      />
    </div>
    <div class="cards">
      <button
        v-for="photo in photos.all"
        :key="photo.id"
        v-tooltip.top="photo.note || undefined"
        type="button"
        class="card"
        :class="{ on: photo.id === photos.chosenId && photos.shown }"
        :data-photograph="photo.id"
        @click="(photos.choose(photo.id), (photos.shown ||= 'beside'))"
      >
        <img :src="photos.url(photo.id, true)" :alt="photo.name" loading="lazy" />
        <span class="name">
          <b class="clip">{{ photo.name }}</b>
          <small v-if="photo.mm_per_width" class="muted">{{ Math.round(photo.mm_per_width) }} mm wide</small>
        </span>
      </button>
      <p v-if="!photos.all.length" class="none muted">
        None yet. What they show can be measured: how much of it is rust, how large the chips are, of which colour the
        paint is; and a layer can be set to measure the same.
      </p>
    </div>
  </section>
</template>

<style scoped>
.band {
  display: flex;
  min-width: 0;
}
.head {
  width: 190px;
  flex: none;
  padding: 12px 14px;
  display: grid;
  gap: 6px;
  align-content: start;
  border-right: 1px solid var(--line);
}
.acts {
  display: flex;
  gap: 14px;
}
.cards {
  display: flex;
  gap: 8px;
  padding: 10px 12px;
  flex: 1;
  min-width: 0;
  overflow-x: auto;
}
.card {
  display: flex;
  flex-direction: column;
  flex: 0 0 150px;
  border: 1px solid var(--line);
  border-radius: 4px;
  overflow: hidden;
  background: var(--panel);
  text-align: left;
  min-width: 0;
}
.card.on {
  border-color: var(--verdigris);
  box-shadow: inset 0 0 0 1px var(--verdigris);
}
.card img {
  width: 100%;
  flex: 1;
  min-height: 0;
  object-fit: cover;
  background: #868686;
}
.name {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  padding: 4px 8px;
  min-width: 0;
}
.name small {
  white-space: nowrap;
}
.none {
  max-width: 60ch;
  align-self: center;
}
.trouble {
  color: var(--oxide);
}
</style>
