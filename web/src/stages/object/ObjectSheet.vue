<script setup lang="ts">
import Button from 'primevue/button'
import Tab from 'primevue/tab'
import TabList from 'primevue/tablist'
import TabPanel from 'primevue/tabpanel'
import TabPanels from 'primevue/tabpanels'
import Tabs from 'primevue/tabs'
import { computed } from 'vue'
import { box } from '../../figures/format'
import { useWork } from '../../stores/work'
import AroundForm from './AroundForm.vue'
import HealthList from './HealthList.vue'
import SettingForm from './SettingForm.vue'

const tab = defineModel<string>({ required: true })
const emit = defineEmits<{ replace: []; twin: []; near: [role: 'neighbour' | 'marker'] }>()
const work = useWork()
const size = computed(() => (work.facts ? box(work.facts.size_m) : ''))
const open = computed(
  () => work.facts?.findings.filter((f) => f.level === 'problem' || f.level === 'warning').length ?? 0,
)
</script>

<template>
  <aside v-if="work.facts" class="sheet" aria-label="Object">
    <header>
      <div>
        <h1 class="clip">{{ work.scene?.name }}</h1>
        <p class="muted">
          <span v-tooltip.bottom="'Width, height and depth as it stands'">{{ size }}</span>
          ·
          {{ work.facts.triangles.toLocaleString('en') }} triangles
        </p>
        <p class="muted clip" :title="work.facts.file">{{ work.facts.file }}</p>
      </div>
      <Button
        v-tooltip.left="'Put a newer version of the model in its place; layers and settings stay'"
        size="small"
        severity="secondary"
        label="Replace…"
        @click="emit('replace')"
      />
    </header>
    <Tabs v-model:value="tab" class="tabs">
      <TabList>
        <Tab value="health">
          Health
          <span v-if="open" class="badge" :aria-label="`${open} to mend`">{{ open }}</span>
        </Tab>
        <Tab value="setting">Setting</Tab>
        <Tab value="around">Around it</Tab>
      </TabList>
      <TabPanels>
        <TabPanel value="health"><HealthList /></TabPanel>
        <TabPanel value="setting"><SettingForm /></TabPanel>
        <TabPanel value="around"><AroundForm @twin="emit('twin')" @near="(role) => emit('near', role)" /></TabPanel>
      </TabPanels>
    </Tabs>
  </aside>
</template>

<style scoped>
header {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 10px;
  align-items: start;
  padding: 12px 16px 8px;
}
h1 {
  font-size: 16px;
}
.badge {
  background: var(--oxide);
  color: var(--panel);
  border-radius: 8px;
  padding: 0 6px;
  margin-left: 4px;
  font-size: 11px;
}
</style>
