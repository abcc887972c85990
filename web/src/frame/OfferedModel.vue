<script setup lang="ts">
import { useDocumentVisibility, useIntervalFn } from '@vueuse/core'
import { ref, watch } from 'vue'
import { api } from '../api/client'
import type { Intake } from '../api/scene'
import { useWork } from '../stores/work'
import AddObject from './AddObject.vue'

/** A newer model of the open object that a program brought: looked at, and taken or not. */
const work = useWork()
const found = ref<Intake>()
const adder = ref<InstanceType<typeof AddObject>>()
const visible = useDocumentVisibility()

async function look() {
  const id = work.object?.id
  if (!id || visible.value !== 'visible') return
  const { data } = await api.GET('/api/objects/{object_id}/offered', { params: { path: { object_id: id } } })
  if (work.object?.id === id) found.value = data?.[0]
}
watch([() => work.object?.id, visible], () => void look(), { immediate: true })
useIntervalFn(() => void look(), 20_000)

function open() {
  const intake = found.value!
  found.value = undefined
  adder.value?.resume(intake, work.object!.project, work.object!.id)
}
async function leave() {
  const id = found.value!.id
  found.value = undefined
  await api.DELETE('/api/intakes/{intake_id}', { params: { path: { intake_id: id } } })
}
</script>

<template>
  <section v-if="found" class="offered" aria-label="A newer model" role="status">
    <p>
      A newer
      <b>{{ found.files.find((name) => work.isModel(name)) ?? 'model' }}</b>
      came from a folder that is watched.
    </p>
    <button type="button" class="link" @click="open">Look at it</button>
    <button type="button" class="link" @click="leave">Leave it</button>
  </section>
  <AddObject ref="adder" />
</template>

<style scoped>
.offered {
  display: flex;
  gap: 4px 16px;
  flex-wrap: wrap;
  align-items: baseline;
  padding: 6px 14px;
  background: var(--panel);
  border-bottom: 1px solid var(--verdigris);
}
</style>
