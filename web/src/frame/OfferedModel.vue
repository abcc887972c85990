<script setup lang="ts">
import { ref } from 'vue'
import { api } from '../api/client'
import type { Intake } from '../api/scene'
import { useWork } from '../stores/work'
import AddObject from './AddObject.vue'
import OfferBar from './OfferBar.vue'
import { useOffers } from './useOffers'

/** A newer model of the open object that a program brought: looked at, and taken or not. */
const work = useWork()
const found = ref<Intake>()
const adder = ref<InstanceType<typeof AddObject>>()
useOffers(async (id) => {
  const { data } = await api.GET('/api/objects/{object_id}/offered', { params: { path: { object_id: id } } })
  if (work.object?.id === id) found.value = data?.[0]
})

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
  <OfferBar v-if="found" label="A newer model">
    <p>
      A newer
      <b>{{ found.files.find((name) => work.isModel(name)) ?? 'model' }}</b>
      came from a folder that is watched.
    </p>
    <button type="button" class="link" @click="open">Look at it</button>
    <button type="button" class="link" @click="leave">Leave it</button>
  </OfferBar>
  <AddObject ref="adder" />
</template>
