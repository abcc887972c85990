<script setup lang="ts">
import Message from 'primevue/message'
import Toast from 'primevue/toast'
import { useToast } from 'primevue/usetoast'
import { computed, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ChangedLooks from './frame/ChangedLooks.vue'
import OfferedThings from './frame/OfferedThings.vue'
import OpeningObject from './frame/OpeningObject.vue'
import TopBar from './frame/TopBar.vue'
import UnmadeEdits from './frame/UnmadeEdits.vue'
import { useWork } from './stores/work'

const work = useWork()
const route = useRoute()
const router = useRouter()
const toast = useToast()
/** Whether this page shows an object; the others need none. */
const ofObject = computed(() => !!route.params.object)

watch(
  () => route.params.object,
  async (id) => {
    if (!id) return
    if (!(await work.open(Number(id)))) void router.replace('/')
  },
  { immediate: true },
)
watch(
  () => work.notice,
  (text) => {
    if (!text) return
    toast.add({ severity: 'info', summary: text, life: 10000 })
    work.notice = ''
  },
)
</script>

<template>
  <div class="app">
    <TopBar />
    <Message v-if="work.trouble" class="trouble" severity="error" closable @close="work.trouble = ''">
      {{ work.trouble }}
    </Message>
    <UnmadeEdits />
    <OfferedThings v-if="ofObject && work.object" />
    <ChangedLooks v-if="ofObject" />
    <OpeningObject v-if="work.opening && ofObject" class="page" />
    <router-view v-else-if="!ofObject || work.object" class="page" />
    <Toast position="bottom-right" />
  </div>
</template>

<style scoped>
.app {
  height: 100%;
  display: flex;
  flex-direction: column;
}
.page {
  flex: 1;
  min-height: 0;
}
.trouble {
  border-radius: 0;
}
</style>
