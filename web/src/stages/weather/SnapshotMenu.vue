<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Popover from 'primevue/popover'
import { ref } from 'vue'
import { useSnapshots } from './useSnapshots'

/** Dry, wet, in winter: states of the surface by name, to go to and to keep. */
const { snapshots, current, go, keep, remove } = useSnapshots()
const popover = ref<InstanceType<typeof Popover>>()
const name = ref('')
function save() {
  if (!name.value.trim()) return
  keep(name.value.trim().slice(0, 60))
  name.value = ''
  popover.value?.hide()
}
</script>

<template>
  <div class="snapshots" role="group" aria-label="Snapshots">
    <button
      v-for="s in snapshots.slice(0, 4)"
      :key="s.id"
      type="button"
      class="press clip"
      :aria-pressed="current?.id === s.id"
      :data-snapshot="s.name"
      @click="go(s.id)"
    >
      {{ s.name }}
    </button>
    <button
      v-tooltip.top="'Keep this state, or go to another'"
      type="button"
      class="icon-button"
      aria-label="Snapshots"
      data-testid="snapshots"
      @click="(e) => popover?.toggle(e)"
    >
      <i class="pi pi-camera" />
    </button>
    <Popover ref="popover">
      <div class="list">
        <p v-if="!snapshots.length" class="muted">
          No snapshot yet. Switch layers and episodes on and off until the surface is as you want to come back to it,
          and give that a name.
        </p>
        <p v-for="s in snapshots" :key="s.id" class="line">
          <button
            type="button"
            class="word clip"
            :class="{ now: current?.id === s.id }"
            @click="(go(s.id), popover?.hide())"
          >
            {{ s.name }}
          </button>
          <button type="button" class="icon-button" :aria-label="`Remove ${s.name}`" @click="remove(s.id)">
            <i class="pi pi-trash" />
          </button>
        </p>
        <form @submit.prevent="save">
          <InputText
            v-model="name"
            size="small"
            maxlength="60"
            placeholder="Name of this state"
            aria-label="Name of the snapshot"
          />
          <Button type="submit" size="small" label="Keep" :disabled="!name.trim()" />
        </form>
      </div>
    </Popover>
  </div>
</template>

<style scoped>
.snapshots {
  display: flex;
  align-items: center;
  gap: 4px;
  padding-right: 10px;
}
.press {
  max-width: 96px;
}
.list {
  width: 260px;
  display: grid;
  gap: 6px;
}
.line {
  display: flex;
  align-items: center;
  gap: 6px;
}
.word {
  flex: 1;
  text-align: left;
}
.word.now {
  color: var(--verdigris);
  font-weight: 600;
}
form {
  display: flex;
  gap: 6px;
}
form > :first-child {
  flex: 1;
  min-width: 0;
}
</style>
