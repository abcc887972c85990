<script setup lang="ts">
import Tab from 'primevue/tab'
import TabList from 'primevue/tablist'
import TabPanel from 'primevue/tabpanel'
import TabPanels from 'primevue/tabpanels'
import Tabs from 'primevue/tabs'
import { ref, watch } from 'vue'
import PhotoSheet from '../../photographs/PhotoSheet.vue'
import { usePhotographs } from '../../stores/photographs'
import { useFindings } from '../../stores/findings'
import ConditionSheet from './ConditionSheet.vue'
import FindingsSheet from './FindingsSheet.vue'

/** The sheet of the Review stage: the photograph, what may be wrong, and what the surface measures. */
defineEmits<{ part: [part: number] }>()
const findings = useFindings()
const photos = usePhotographs()
const tab = ref('findings')
watch(
  () => photos.chosenId,
  (id) => id && (tab.value = 'photograph'),
)
</script>

<template>
  <aside class="sheet" aria-label="Review">
    <Tabs v-model:value="tab" class="tabs">
      <TabList>
        <Tab value="photograph">Photograph</Tab>
        <Tab value="findings">
          Findings
          <b v-if="findings.open.length" class="count">{{ findings.open.length }}</b>
        </Tab>
        <Tab value="condition">Condition</Tab>
      </TabList>
      <TabPanels>
        <TabPanel value="photograph"><PhotoSheet /></TabPanel>
        <TabPanel value="findings"><FindingsSheet @part="(part) => $emit('part', part)" /></TabPanel>
        <TabPanel value="condition"><ConditionSheet /></TabPanel>
      </TabPanels>
    </Tabs>
  </aside>
</template>

<style scoped>
.tabs :deep(.p-tabpanels) {
  padding: 4px 0 0;
}
.count {
  color: var(--oxide);
  padding-left: 4px;
}
</style>
