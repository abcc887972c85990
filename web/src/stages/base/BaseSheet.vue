<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Menu from 'primevue/menu'
import MultiSelect from 'primevue/multiselect'
import Tab from 'primevue/tab'
import TabList from 'primevue/tablist'
import TabPanel from 'primevue/tabpanel'
import TabPanels from 'primevue/tabpanels'
import Tabs from 'primevue/tabs'
import { computed, nextTick, ref, watch } from 'vue'
import { api, messageOf } from '../../api/client'
import FieldList from '../../controls/FieldList.vue'
import { readable } from '../../figures/format'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'
import BaseFlags from './BaseFlags.vue'
import BaseWhere from './BaseWhere.vue'
import ChannelLevels from './ChannelLevels.vue'
import MapTable from './MapTable.vue'

/** The chosen base: what it is, how it is laid, and its channels. */
const emit = defineEmits<{ maps: [] }>()
const work = useWork()
const bases = useBases()
const tab = ref('material')
const base = computed(() => bases.base)
const said = computed(() => bases.said.get(bases.chosen))
const isMaps = computed(() => bases.material?.of_pictures)
/** What means something for it: the core says so with each kind of material. */
const placingFields = computed(() => bases.material?.placed_by ?? [])

const renaming = ref(false)
const name = ref('')
const nameField = ref<{ $el: HTMLInputElement }>()
async function rename() {
  name.value = base.value ? bases.title(base.value) : ''
  renaming.value = true
  await nextTick()
  nameField.value?.$el.select()
}
function renamed(keep: boolean) {
  if (!renaming.value) return
  renaming.value = false
  const text = name.value.trim().slice(0, 80)
  if (keep && text && base.value && text !== base.value.name) work.edit('Rename base', () => (base.value!.name = text))
}
watch(
  () => bases.chosen,
  () => (renaming.value = false),
)
const menu = ref<InstanceType<typeof Menu>>()
const actions = computed(() => [
  { label: 'Rename', icon: 'pi pi-pencil', command: rename },
  { label: 'Duplicate', icon: 'pi pi-clone', command: () => bases.duplicate(bases.chosen) },
  { label: 'Lower', icon: 'pi pi-arrow-up', disabled: bases.chosen <= 0, command: () => bases.move(bases.chosen, -1) },
  {
    label: 'Higher',
    icon: 'pi pi-arrow-down',
    disabled: bases.chosen >= bases.bases.length - 1,
    command: () => bases.move(bases.chosen, 1),
  },
  { separator: true },
  { label: 'Put into the store room', icon: 'pi pi-inbox', command: keep },
  { label: 'Remove', icon: 'pi pi-trash', command: () => bases.remove(bases.chosen) },
])
async function keep() {
  if (!base.value || !work.object) return
  await work.saved()
  const { data, error } = await api.POST('/api/store-room', {
    body: {
      name: bases.title(base.value),
      base: JSON.parse(JSON.stringify(base.value)),
      project: work.object.project,
    },
  })
  if (data) {
    work.notice = `${data.title} is in the store room now.`
    window.dispatchEvent(new Event('limus-store-room'))
  } else work.trouble = messageOf(error)
}

const parts = computed(() => (base.value?.parts === null ? [] : (base.value?.parts ?? [])))
function place(field: string, value: unknown) {
  base.value!.placing[field] = value
  work.preview()
}
function set(field: string, value: unknown) {
  base.value![field] = value
  work.preview()
}
function material(field: string, value: unknown) {
  base.value!.material[field] = value
  work.preview()
}
const relief = computed(() =>
  said.value ? `${readable(said.value.relief_mm[0])} to ${readable(said.value.relief_mm[1])} mm` : '',
)
</script>

<template>
  <aside
    class="sheet"
    aria-label="Selected base"
    :data-guide="base ? `base:${bases.title(base).toLowerCase()}` : undefined"
  >
    <div v-if="!base || !bases.material" class="empty">
      <h2>No base yet</h2>
      <p class="muted">
        Without one the object is made of cast iron. Take a base from the store room below, or drop texture files on the
        view.
      </p>
      <Button size="small" label="Texture files…" @click="emit('maps')" />
    </div>
    <template v-else>
      <header class="sheet-head">
        <InputText
          v-if="renaming"
          ref="nameField"
          v-model="name"
          size="small"
          maxlength="80"
          aria-label="Name of the base"
          @blur="renamed(true)"
          @keydown.enter="renamed(true)"
          @keydown.esc.stop="renamed(false)"
        />
        <button v-else v-tooltip.bottom="'Rename'" type="button" class="title clip" @click="rename">
          {{ bases.title(base) }}
        </button>
        <span class="muted kind clip">{{ bases.material.title }}</span>
        <button type="button" class="icon-button" aria-label="More for this base" @click="(e) => menu?.toggle(e)">
          <i class="pi pi-ellipsis-h" />
        </button>
        <Menu ref="menu" :model="actions" popup />
      </header>
      <p v-for="note in said?.notes ?? []" :key="note" class="note" role="status">
        <i class="pi pi-info-circle" />
        {{ note }}.
      </p>
      <Tabs v-model:value="tab" class="tabs">
        <TabList>
          <Tab value="material">Material</Tab>
          <Tab value="placing">Placing</Tab>
          <Tab value="channels">Channels</Tab>
          <Tab value="flags">Flags</Tab>
        </TabList>
        <TabPanels>
          <TabPanel value="material">
            <MapTable v-if="isMaps" @more="emit('maps')" />
            <FieldList
              :key="bases.chosen"
              :schema="bases.material.schema"
              :values="base.material"
              @drag="material"
              @done="(_n, _v, title) => bases.done(title)"
            />
            <h3>
              Relief
              <small class="muted">{{ relief }}</small>
            </h3>
            <FieldList
              v-if="work.catalogue"
              :schema="work.catalogue.base"
              :values="base"
              :only="isMaps ? ['relief', 'occlusion'] : ['relief']"
              @drag="set"
              @done="(_n, _v, title) => bases.done(title)"
            />
          </TabPanel>
          <TabPanel value="placing">
            <div class="field">
              <label for="base-parts">On parts</label>
              <MultiSelect
                input-id="base-parts"
                size="small"
                fluid
                filter
                :model-value="parts"
                :options="work.parts"
                :max-selected-labels="1"
                selected-items-label="{0} parts"
                :placeholder="base.parts === null ? 'all that no other base has' : 'none'"
                aria-label="Parts of this base"
                @update:model-value="(v: string[]) => bases.setParts(v.length ? v : null)"
              />
            </div>
            <FieldList
              v-if="work.catalogue"
              :schema="work.catalogue.placing"
              :values="base.placing"
              :only="placingFields"
              @drag="place"
              @done="(_n, _v, title) => bases.done(title)"
            />
            <p v-if="isMaps && said" class="muted repeat" data-testid="repetition">
              Repetition seen: {{ Math.round((said.repetition ?? 0) * 100) }} %
              <template v-if="(said.repetition ?? 0) <= 0.4">— it does not show</template>
            </p>
            <BaseWhere />
          </TabPanel>
          <TabPanel value="channels"><ChannelLevels :key="bases.chosen" /></TabPanel>
          <TabPanel value="flags"><BaseFlags /></TabPanel>
        </TabPanels>
      </Tabs>
    </template>
  </aside>
</template>

<style scoped>
.title {
  font-size: 16px;
  font-weight: 600;
  text-align: left;
}
.kind {
  flex: 1;
}
.note {
  margin: 8px 16px 0;
  padding: 6px 10px;
  border-radius: 4px;
  border: 1px solid color-mix(in srgb, var(--oxide) 45%, var(--line));
  color: var(--oxide);
}
.tabs {
  flex: 1;
  min-height: 0;
  display: flex;
  flex-direction: column;
}
.tabs :deep(.p-tablist-tab-list) {
  background: transparent;
}
.tabs :deep(.p-tab) {
  padding: 6px 10px;
}
.tabs :deep(.p-tabpanels) {
  flex: 1;
  min-height: 0;
  overflow-y: auto;
  scrollbar-gutter: stable;
  padding: 8px 8px 16px 16px;
  background: transparent;
}
h3 {
  font-size: 14px;
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding: 10px 0 3px;
}
h3 small {
  font-size: 12.5px;
  font-weight: 400;
}
.field {
  display: grid;
  grid-template-columns: 106px minmax(0, 1fr);
  align-items: center;
  gap: 10px;
  min-height: 28px;
}
.repeat {
  padding: 4px 0;
}
.empty {
  padding: 32px 24px;
  display: grid;
  gap: 10px;
  justify-items: start;
}
.empty h2 {
  font-size: 15px;
}
</style>
