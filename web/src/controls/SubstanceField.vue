<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Popover from 'primevue/popover'
import { computed, ref, watch } from 'vue'
import { api, messageOf } from '../api/client'
import type { FieldSchema, Laid, Shelf } from '../api/scene'
import { useBases } from '../stores/bases'
import { useWork } from '../stores/work'
import FieldList from './FieldList.vue'
import FlagsFields from './FlagsFields.vue'

/** A substance of the store room, its own settings and how it lies; or none. */
const props = defineProps<{ field: FieldSchema; name: string; modelValue: Laid | null }>()
const emit = defineEmits<{ drag: [value: Laid | null]; done: [value: Laid | null]; save: [title: string] }>()
const work = useWork()
const bases = useBases()
const material = computed(() => (props.modelValue ? bases.materials.get(props.modelValue.material.kind) : undefined))
const title = computed(() => props.modelValue?.name || material.value?.title || 'Nothing')
const family = computed(() => {
  const given = props.modelValue?.flags.family as string | undefined
  return work.catalogue?.families[given || material.value?.family || ''] ?? ''
})
const unfolded = ref<'' | 'material' | 'placing' | 'wear'>('')
const fold = (which: 'material' | 'placing' | 'wear') => (unfolded.value = unfolded.value === which ? '' : which)
const sample = computed(() => `/api/store-room/picture?name=${encodeURIComponent(title.value.toLowerCase())}`)
const noSample = ref(false)
watch(sample, () => (noSample.value = false))

const shelf = ref<InstanceType<typeof Popover>>()
const query = ref('')
const cards = ref<Shelf[]>([])
const page = ref(1)
const pages = ref(1)
const state = ref<'loading' | 'ready' | 'failed'>('loading')
const wrong = ref('')
const taking = ref('')
let number = 0
async function load() {
  const mine = ++number
  const { data, error } = await api.GET('/api/store-room', {
    params: { query: { query: query.value, family: '', own: false, favourites: false, page: page.value, size: 12 } },
  })
  if (mine !== number) return
  if (data) {
    cards.value = data.bases
    pages.value = data.pages
    page.value = data.page
    state.value = 'ready'
  } else {
    wrong.value = messageOf(error)
    state.value = 'failed'
  }
}
watch(query, () => {
  page.value = 1
  void load()
})
watch(page, load)
function open(event: Event) {
  void load()
  shelf.value?.toggle(event)
}
async function take(name: string) {
  taking.value = name
  const found = await bases.fromStore(name)
  taking.value = ''
  if (!found) return
  const { name: called, material: made, placing, relief, occlusion, levels, flags } = found
  put({ name: called, material: made, placing, relief, occlusion, levels, flags })
}
function put(value: Laid | null) {
  shelf.value?.hide()
  emit('drag', value)
  emit('done', value)
}
function set(part: 'material' | 'placing' | 'flags', field: string, value: unknown) {
  emit('drag', { ...props.modelValue!, [part]: { ...props.modelValue![part], [field]: value } })
}
</script>

<template>
  <div class="substance" :data-field="name">
    <div class="field-row">
      <span v-tooltip.left="field.description || undefined" class="clip">{{ field.title }}</span>
      <button
        type="button"
        class="chosen"
        :aria-label="`${field.title}: ${modelValue ? title : 'only the values'}. Choose another`"
        aria-haspopup="dialog"
        @click="open"
      >
        <img v-if="modelValue && !noSample" :src="sample" alt="" width="34" height="28" @error="noSample = true" />
        <i v-else class="pi pi-circle" aria-hidden="true" />
        <span class="words">
          <span class="clip">{{ modelValue ? title : 'Only the values below' }}</span>
          <small class="muted clip">{{ modelValue ? family : 'nothing is laid on' }}</small>
        </span>
        <i class="pi pi-angle-down" aria-hidden="true" />
      </button>
    </div>
    <template v-if="modelValue && material">
      <div class="folds">
        <button type="button" :aria-expanded="unfolded === 'material'" @click="fold('material')">Its settings</button>
        <button type="button" :aria-expanded="unfolded === 'placing'" @click="fold('placing')">How it lies</button>
        <button type="button" :aria-expanded="unfolded === 'wear'" @click="fold('wear')">How it wears</button>
      </div>
      <div v-if="unfolded" class="inside">
        <template v-if="unfolded === 'material'">
          <FieldList
            :schema="material.schema"
            :values="modelValue.material"
            @drag="(f, v) => set('material', f, v)"
            @done="(_f, _v, t) => emit('save', t)"
          />
          <FieldList
            v-if="work.catalogue"
            :schema="work.catalogue.base"
            :values="modelValue as unknown as Record<string, unknown>"
            :only="['relief']"
            @drag="(f, v) => emit('drag', { ...modelValue!, [f]: v })"
            @done="(_f, _v, t) => emit('save', t)"
          />
        </template>
        <FieldList
          v-else-if="unfolded === 'placing' && work.catalogue"
          :schema="work.catalogue.placing"
          :values="modelValue.placing"
          :only="material.placed_by"
          @drag="(f, v) => set('placing', f, v)"
          @done="(_f, _v, t) => emit('save', t)"
        />
        <FlagsFields
          v-else
          :flags="modelValue.flags"
          :own="material.family ?? ''"
          @done="(f, v, t) => (set('flags', f, v), emit('save', t))"
        />
      </div>
    </template>
    <Popover ref="shelf">
      <div class="room" role="dialog" aria-label="Choose a substance">
        <div class="find">
          <InputText v-model="query" size="small" fluid placeholder="Find a substance" aria-label="Find a substance" />
          <button type="button" class="icon-button" aria-label="Page before" :disabled="page <= 1" @click="page--">
            <i class="pi pi-angle-left" />
          </button>
          <button type="button" class="icon-button" aria-label="Page after" :disabled="page >= pages" @click="page++">
            <i class="pi pi-angle-right" />
          </button>
        </div>
        <p v-if="state === 'failed'" role="alert">{{ wrong }}</p>
        <p v-else-if="state === 'ready' && !cards.length" class="muted">Nothing fits. Try another word.</p>
        <ul v-else :aria-busy="state === 'loading'">
          <li v-for="s in cards" :key="s.name">
            <button type="button" :disabled="!!taking" :data-stock="s.name" :aria-label="s.title" @click="take(s.name)">
              <img
                :src="`/api/store-room/picture?name=${encodeURIComponent(s.name)}`"
                alt=""
                loading="lazy"
                width="84"
                height="66"
              />
              <span class="clip">{{ s.title }}</span>
            </button>
          </li>
        </ul>
        <button type="button" class="none" @click="put(null)">
          <i class="pi pi-circle" aria-hidden="true" />
          Nothing: only the values below
        </button>
      </div>
    </Popover>
  </div>
</template>

<style scoped>
.chosen {
  display: grid;
  grid-template-columns: 34px minmax(0, 1fr) 16px;
  align-items: center;
  gap: 9px;
  text-align: left;
  padding: 3px 8px 3px 4px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--paper);
}
.chosen:hover {
  border-color: var(--verdigris);
}
.chosen img {
  border-radius: 3px;
  object-fit: cover;
}
.chosen > i:first-child {
  text-align: center;
  color: var(--muted);
}
.words {
  display: grid;
  line-height: 1.2;
}
.folds {
  display: flex;
  gap: 4px;
  justify-content: flex-end;
  padding: 3px 0;
}
.folds button {
  font-size: 12px;
  color: var(--muted);
  padding: 2px 7px;
  border-radius: 3px;
}
.folds button:hover,
.folds button[aria-expanded='true'] {
  color: var(--ink);
  background: var(--tint);
}
.inside {
  border-left: 2px solid var(--line);
  padding-left: 9px;
  margin: 2px 0 6px;
}
.room {
  width: 384px;
  display: grid;
  gap: 8px;
}
.find {
  display: flex;
  gap: 4px;
}
ul {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 6px;
  min-height: 276px;
  align-content: start;
}
li button {
  width: 100%;
  display: grid;
  padding: 2px;
  border: 1px solid var(--line);
  border-radius: 4px;
  text-align: left;
  font-size: 12px;
}
li button:hover,
li button:focus-visible {
  border-color: var(--verdigris);
}
li img {
  width: 100%;
  object-fit: cover;
  border-radius: 3px;
  background: #868686;
}
li span {
  padding: 2px 3px 0;
}
.none {
  display: flex;
  gap: 8px;
  align-items: center;
  color: var(--muted);
  padding: 4px;
  text-align: left;
}
.none:hover {
  color: var(--ink);
}
</style>
