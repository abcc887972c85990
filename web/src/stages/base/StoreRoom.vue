<script setup lang="ts">
import { useEventListener, useResizeObserver } from '@vueuse/core'
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Menu from 'primevue/menu'
import Select from 'primevue/select'
import { computed, ref, watch } from 'vue'
import { api, messageOf } from '../../api/client'
import type { Shelf } from '../../api/scene'
import { useBases } from '../../stores/bases'
import { useHand } from '../../stores/hand'
import { useWork } from '../../stores/work'

/** The store room: every base on a sample, to be found by word or family and put on the object with a click. */
const emit = defineEmits<{ maps: [] }>()
const work = useWork()
const bases = useBases()
const hand = useHand()
const query = ref('')
const family = ref('any')
const only = ref<'all' | 'favourites' | 'own'>('all')
const page = ref(1)
const pages = ref(1)
const total = ref(0)
const cards = ref<Shelf[]>([])
const state = ref<'loading' | 'ready' | 'failed'>('loading')
const wrong = ref('')
const taking = ref('')
const list = ref<HTMLElement>()
const fit = ref(7)
const WIDE = 130
useResizeObserver(list, ([entry]) => {
  fit.value = Math.max(2, Math.floor((entry.contentRect.width + 8) / WIDE))
})
let number = 0
let slow: ReturnType<typeof setTimeout> | undefined
async function load() {
  const mine = ++number
  clearTimeout(slow)
  // What is there stays while a quick answer is under way.
  slow = setTimeout(() => mine === number && (state.value = 'loading'), 250)
  try {
    const { data, error } = await api.GET('/api/store-room', {
      params: {
        query: {
          query: query.value,
          family: family.value === 'any' ? '' : family.value,
          own: only.value === 'own',
          favourites: only.value === 'favourites',
          page: page.value,
          size: Math.max(1, fit.value - (bases.hasFileMaps ? 1 : 0)),
        },
      },
    })
    if (mine !== number) return
    if (!data) throw new Error(messageOf(error))
    cards.value = data.bases
    pages.value = data.pages
    page.value = data.page
    total.value = data.total
    state.value = 'ready'
  } catch (error) {
    if (mine !== number) return
    wrong.value = error instanceof Error && !(error instanceof TypeError) ? error.message : messageOf(undefined)
    state.value = 'failed'
  } finally {
    clearTimeout(slow)
  }
}
watch([query, family, only, fit], () => {
  page.value = 1
  void load()
})
watch(page, load)
void load()
useEventListener(window, 'limus-store-room', () => void load())

const families = computed(() => [
  { label: 'Any family', value: 'any' },
  ...Object.entries(work.catalogue?.families ?? {})
    .filter(
      ([f]) =>
        (work.catalogue?.materials ?? []).some((m) => m.family === f) || ['copper alloy', 'aluminium'].includes(f),
    )
    .map(([value, label]) => ({ label, value })),
]) // prettier-ignore
const KEPT = [
  { label: 'All bases', value: 'all' },
  { label: 'Favourites', value: 'favourites' },
  { label: 'My own', value: 'own' },
]
/** The maps of the object itself stand first, as something that can be chosen like any base. */
const offersFile = computed(
  () =>
    bases.hasFileMaps &&
    !!bases.base &&
    page.value === 1 &&
    !query.value &&
    family.value === 'any' &&
    only.value === 'all',
)
const picture = (s: Shelf) => `/api/store-room/picture?name=${encodeURIComponent(s.name)}`
async function put(s: Shelf, way: 'replace' | 'add' | 'over' | 'paint') {
  taking.value = s.name
  const fresh = await bases.fromStore(s.name)
  taking.value = ''
  if (!fresh) return
  if (way === 'replace') void bases.put(fresh)
  else if (way === 'add') void bases.add(fresh, bases.bases.length ? [] : null)
  else if (way === 'over') void bases.add(fresh, null, true)
  else {
    await bases.add(fresh, null, true, true)
    hand.take('paint')
  }
  if (way === 'add' && bases.bases.length)
    work.notice = `Choose the parts that are ${s.title.toLowerCase()} under Placing.`
}
async function like(s: Shelf) {
  const { error } = await api.PUT('/api/store-room/favourite', { body: { name: s.name, on: !s.favourite } })
  if (error) work.trouble = messageOf(error)
  await load()
}
const menu = ref<InstanceType<typeof Menu>>()
const about = ref<Shelf>()
const actions = computed(() => {
  const s = about.value
  if (!s) return []
  return [
    { label: 'Use instead of the chosen base', command: () => void put(s, 'replace') },
    { label: 'Add for other parts', command: () => void put(s, 'add') },
    { label: 'Lay over by a mask', command: () => void put(s, 'over') },
    { label: 'Paint it on', command: () => void put(s, 'paint') },
    ...(s.own ? [{ separator: true }, { label: 'Take out of the store room', command: () => void takeOut(s) }] : []),
  ]
})
async function takeOut(s: Shelf) {
  const { error } = await api.DELETE('/api/store-room', { params: { query: { name: s.name } } })
  if (error) work.trouble = messageOf(error)
  await load()
}
function more(event: Event, s: Shelf) {
  about.value = s
  menu.value?.toggle(event)
}
</script>

<template>
  <footer class="band" aria-label="Store room">
    <div class="find">
      <h2>Store room</h2>
      <InputText v-model="query" size="small" fluid placeholder="Find a base" aria-label="Find a base" />
      <Select
        v-model="family"
        size="small"
        fluid
        :options="families"
        option-label="label"
        option-value="value"
        aria-label="Family"
      />
      <Select
        v-model="only"
        size="small"
        fluid
        :options="KEPT"
        option-label="label"
        option-value="value"
        aria-label="Which bases"
      />
      <Button size="small" severity="secondary" label="Texture files…" @click="emit('maps')" />
    </div>
    <div ref="list" class="shelf" :aria-busy="state === 'loading'">
      <div v-if="state === 'failed'" class="say" role="alert">
        <p>{{ wrong }}</p>
        <Button size="small" label="Try again" @click="load" />
      </div>
      <p v-else-if="state === 'ready' && !total" class="say muted">
        <template v-if="only === 'own'">
          Nothing of your own yet: put a base in from its menu, or bring texture files.
        </template>
        <template v-else-if="only === 'favourites'">No favourites yet: the heart on a card keeps it at hand.</template>
        <template v-else>Nothing fits. Try another word: what it is made of, or what is made of it.</template>
      </p>
      <template v-else>
        <ul :class="{ waiting: state === 'loading' }">
          <li v-if="offersFile" class="card" data-stock="as in the file">
            <button
              v-tooltip.top="
                `The maps that came with it: ${work.facts?.textures.join(', ')}. Click: use them for the chosen base`
              "
              type="button"
              class="pick"
              aria-label="Use the maps of the file"
              :aria-pressed="!!bases.base && bases.isAsInFile(bases.base)"
              @click="bases.asInFile()"
            >
              <i class="own pi pi-file-import" aria-hidden="true" />
              <span class="name clip">As in the file</span>
            </button>
            <span class="foot">
              <span class="muted clip">
                {{ bases.base && bases.isAsInFile(bases.base) ? 'in use' : 'maps of the object' }}
              </span>
            </span>
          </li>
          <li v-for="s in cards" :key="s.name" class="card" :data-stock="s.name">
            <button
              v-tooltip.top="`${s.about}. Click: use it for the chosen base`"
              type="button"
              class="pick"
              :disabled="!!taking"
              :aria-label="`Use ${s.title}`"
              @click="put(s, bases.base ? 'replace' : 'add')"
            >
              <img :src="picture(s)" :alt="`A sample of ${s.title}`" loading="lazy" width="118" height="94" />
              <span class="name clip">{{ s.title }}</span>
            </button>
            <span class="foot">
              <span class="muted clip">{{ work.catalogue?.families[s.family] }}</span>
              <button
                type="button"
                class="small"
                :aria-label="s.favourite ? `${s.title} is a favourite` : `Make ${s.title} a favourite`"
                :aria-pressed="s.favourite"
                @click="like(s)"
              >
                <i :class="s.favourite ? 'pi pi-heart-fill' : 'pi pi-heart'" />
              </button>
              <button type="button" class="small" :aria-label="`More for ${s.title}`" @click="(e) => more(e, s)">
                <i class="pi pi-ellipsis-v" />
              </button>
            </span>
          </li>
        </ul>
        <div v-if="pages > 1" class="pages">
          <button
            type="button"
            class="icon-button"
            aria-label="Page before"
            :disabled="page <= 1"
            @click="page = page - 1"
          >
            <i class="pi pi-angle-left" />
          </button>
          <span class="muted">{{ page }} of {{ pages }}</span>
          <button
            type="button"
            class="icon-button"
            aria-label="Page after"
            :disabled="page >= pages"
            @click="page = page + 1"
          >
            <i class="pi pi-angle-right" />
          </button>
        </div>
      </template>
    </div>
    <Menu ref="menu" :model="actions" popup />
  </footer>
</template>

<style scoped>
.band {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
  background: var(--panel);
  border-top: 1px solid var(--line);
  min-height: 0;
}
.find {
  padding: 8px 14px;
  display: grid;
  gap: 4px;
  align-content: start;
  border-right: 1px solid var(--line);
}
h2 {
  font-size: 13px;
}
.shelf {
  position: relative;
  min-width: 0;
  padding: 8px 14px 2px;
  display: grid;
  align-content: start;
  margin-right: 64px;
}
ul {
  display: flex;
  gap: 8px;
}
.waiting {
  opacity: 0.5;
}
.card {
  flex: 0 0 122px;
  width: 122px;
  overflow: hidden;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 2px 2px 3px;
  background: var(--paper);
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  align-content: start;
}
.card:hover,
.card:focus-within {
  border-color: var(--verdigris);
}
.pick {
  display: grid;
  text-align: left;
}
img {
  width: 116px;
  height: 92px;
  object-fit: cover;
  border-radius: 3px;
  background: #868686;
}
.own {
  width: 116px;
  height: 92px;
  display: grid;
  place-items: center;
  font-size: 26px;
  color: var(--muted);
  background: var(--panel);
  border-radius: 3px;
}
.pick .name {
  padding: 3px 5px 0;
}
.foot {
  display: flex;
  align-items: center;
  padding-left: 5px;
  font-size: 12px;
}
.foot .clip {
  flex: 1;
}
.small {
  width: 24px;
  height: 24px;
  color: var(--muted);
  flex: none;
}
.small i {
  font-size: 12px;
}
.small[aria-pressed='true'] {
  color: var(--verdigris);
}
.small:hover {
  color: var(--ink);
}
.pages {
  position: absolute;
  right: -60px;
  top: 50px;
  width: 62px;
  display: grid;
  justify-items: center;
  gap: 2px;
}
.say {
  padding: 40px 20px;
  display: grid;
  gap: 10px;
  justify-items: center;
}
</style>
