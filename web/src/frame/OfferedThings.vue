<script setup lang="ts">
import { ref } from 'vue'
import { useOffers } from '../stores/offers'
import { useWork } from '../stores/work'
import AddObject from './AddObject.vue'
import ToDecide from './ToDecide.vue'

/**
 * What programs brought for the open object: a newer model is looked at before it is taken, newer pictures are taken as
 * one edit; or it is left.
 */
const work = useWork()
const { model, pictures, leaveModel, take, leave } = useOffers()
const adder = ref<InstanceType<typeof AddObject>>()

function look() {
  const intake = model.value!
  model.value = undefined
  adder.value?.resume(intake, work.object!.project, work.object!.id)
}
</script>

<template>
  <ToDecide v-if="model" label="A newer model">
    <p>
      A newer
      <b>{{ model.files.find((name) => work.isModel(name)) ?? 'model' }}</b>
      came from a folder that is watched.
    </p>
    <button type="button" class="link" @click="look">Look at it</button>
    <button type="button" class="link" @click="leaveModel">Leave it</button>
  </ToDecide>
  <ToDecide v-for="picture in pictures" :key="picture.id" :label="`A newer ${picture.name}`">
    <p>
      A newer
      <b>{{ picture.name }}</b>
      came from a folder that is watched: {{ picture.note }}.
    </p>
    <button type="button" class="link" @click="take(picture)">Take it</button>
    <button type="button" class="link" @click="leave(picture)">Leave it</button>
  </ToDecide>
  <AddObject ref="adder" />
</template>
