<script setup lang="ts">
import { ref } from 'vue'
import { api } from '../api/client'
import type { components } from '../api/schema'
import { useWork } from '../stores/work'
import OfferBar from './OfferBar.vue'
import { useOffers } from './useOffers'

/** Newer pictures that a program brought for those that the open object names: taken as one edit, or left. */
type Offer = components['schemas']['OfferedOut']
const work = useWork()
const found = ref<Offer[]>([])
useOffers(async (id) => {
  const { data } = await api.GET('/api/objects/{object_id}/offered-pictures', { params: { path: { object_id: id } } })
  if (work.object?.id === id) found.value = data ?? []
})

function gone(offer: Offer) {
  found.value = found.value.filter((one) => one.id !== offer.id)
}
async function take(offer: Offer) {
  gone(offer)
  await work.run('replace-file', { was: offer.was, now: offer.now })
}
async function leave(offer: Offer) {
  gone(offer)
  await api.DELETE('/api/offered-pictures/{offer_id}', { params: { path: { offer_id: offer.id } } })
}
</script>

<template>
  <OfferBar v-for="offer in found" :key="offer.id" :label="`A newer ${offer.name}`">
    <p>
      A newer
      <b>{{ offer.name }}</b>
      came from a folder that is watched: {{ offer.note }}.
    </p>
    <button type="button" class="link" @click="take(offer)">Take it</button>
    <button type="button" class="link" @click="leave(offer)">Leave it</button>
  </OfferBar>
</template>
