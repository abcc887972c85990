<script setup lang="ts">
import { useLocalStorage, useNow } from '@vueuse/core'
import Button from 'primevue/button'
import ConfirmDialog from 'primevue/confirmdialog'
import InputText from 'primevue/inputtext'
import { useConfirm } from 'primevue/useconfirm'
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, messageOf } from '../api/client'
import type { Project } from '../api/scene'
import { since } from '../controls/since'
import { useWork } from '../stores/work'
import AddObject from './AddObject.vue'
import TokensDialog from './TokensDialog.vue'

/** All projects, each object as it looks today. Whoever comes in is taken to the object that was open last. */
const work = useWork()
const router = useRouter()
const confirm = useConfirm()
const ready = ref(false)
const last = useLocalStorage('limus.object', 0)
const name = ref('')
const query = ref('')
const tokens = ref(false)
const adder = ref<InstanceType<typeof AddObject>>()
const now = useNow({ interval: 30_000 })
/** Pictures that could not be drawn. */
const blank = ref(new Set<number>())

onMounted(async () => {
  // Whoever comes from an object asked for this page, even where that object was still being opened.
  const first = !work.object && !(history.state as { back?: string } | null)?.back
  await work.start()
  // Coming in: go on with what was open last, or with the first object where there is one project.
  const all = work.projects.flatMap((p) => p.objects)
  const next = all.find((o) => o.id === last.value) ?? (work.projects.length === 1 ? all[0] : undefined)
  if (next && first && router.currentRoute.value.name === 'start')
    void router.replace({ name: 'weather', params: { object: next.id } })
  else ready.value = true
})

type Item = Project['objects'][number]
const count = computed(() => work.projects.reduce((sum, p) => sum + p.objects.length, 0))
/** What is asked for, newest first; a project is found by its name as well. */
const found = computed(() => {
  const words = query.value.trim().toLowerCase().split(/\s+/).filter(Boolean)
  const has = (text: string) => words.every((word) => text.toLowerCase().includes(word))
  return work.projects
    .map((project) => ({
      ...project,
      objects: project.objects
        .filter((o) => has(`${project.name} ${o.name} ${o.state}`))
        .sort((a, b) => (b.touched ?? '').localeCompare(a.touched ?? '')),
    }))
    .filter((project) => !words.length || project.objects.length)
})
const plural = (n: number, word: string) => `${n} ${word}${n === 1 ? '' : 's'}`
function about(item: Item): string {
  const parts = item.parts ? [plural(item.parts, 'part')] : []
  return [...parts, item.layers ? plural(item.layers, 'layer') : 'as made'].join(' · ')
}
const STATES: Record<string, string> = { working: 'measuring', 'no UVs': 'needs UVs', new: 'not opened yet' }

function remove(id: number, title: string) {
  confirm.require({
    header: `Remove ${title}?`,
    message: 'The object goes with all versions of its scene. This cannot be undone.',
    acceptProps: { label: 'Remove', severity: 'danger', size: 'small' },
    rejectProps: { label: 'Keep', severity: 'secondary', size: 'small' },
    accept: async () => {
      const { error, response } = await api.DELETE('/api/objects/{object_id}', { params: { path: { object_id: id } } })
      if (!response.ok) work.trouble = messageOf(error)
      work.forget(id)
      await work.start()
    },
  })
}
function removeProject(project: Project) {
  confirm.require({
    header: `Remove ${project.name}?`,
    message: project.objects.length
      ? `${plural(project.objects.length, 'object')} and all pictures brought into it go with it. ` +
        'This cannot be undone.'
      : 'It is empty. This cannot be undone.',
    acceptProps: { label: 'Remove', severity: 'danger', size: 'small' },
    rejectProps: { label: 'Keep', severity: 'secondary', size: 'small' },
    accept: async () => {
      const { error, response } = await api.DELETE('/api/projects/{project_id}', {
        params: { path: { project_id: project.id } },
      })
      if (!response.ok) work.trouble = messageOf(error)
      for (const item of project.objects) work.forget(item.id)
      await work.start()
    },
  })
}
async function create() {
  const text = name.value.trim()
  if (!text) return
  const { data } = await api.POST('/api/projects', { body: { name: text } })
  if (!data) return
  name.value = ''
  await work.start()
  adder.value?.open(data.id)
}
</script>

<template>
  <main v-if="ready" class="start">
    <header>
      <h1>Projects</h1>
      <InputText
        v-if="count > 3"
        v-model="query"
        type="search"
        class="search"
        size="small"
        :placeholder="`Find among ${count} objects`"
        aria-label="Find an object"
      />
      <form @submit.prevent="create">
        <InputText
          v-model="name"
          size="small"
          placeholder="Name of a new project"
          aria-label="Name of a new project"
          maxlength="120"
        />
        <Button type="submit" size="small" label="Start a project" :disabled="!name.trim()" />
      </form>
    </header>
    <p v-if="!work.projects.length" class="muted">There is no project yet. Give the first one a name.</p>
    <p v-else-if="!found.length" class="muted" role="status">Nothing is called that.</p>
    <section v-for="project in found" :key="project.id">
      <h2>
        {{ project.name }}
        <span class="muted">{{ plural(project.objects.length, 'object') }}</span>
        <Button size="small" text label="Add an object…" @click="adder?.open(project.id)" />
        <router-link
          v-if="project.objects.length"
          class="link"
          :to="{ name: 'batch', params: { project: project.id } }"
          :aria-label="`Batch of ${project.name}`"
        >
          Batch…
        </router-link>
        <button
          v-tooltip.left="`Remove ${project.name}`"
          type="button"
          class="icon-button whole"
          :aria-label="`Remove the project ${project.name}`"
          @click="removeProject(project)"
        >
          <i class="pi pi-trash" />
        </button>
      </h2>
      <ul>
        <li v-for="item in project.objects" :key="item.id">
          <router-link :to="{ name: 'weather', params: { object: item.id } }">
            <span class="picture">
              <img
                v-if="item.state !== 'no UVs' && !blank.has(item.id)"
                :src="`/api/objects/${item.id}/portrait.png?v=${item.version}`"
                alt=""
                loading="lazy"
                decoding="async"
                @error="blank = new Set([...blank, item.id])"
              />
              <span v-else>No picture yet</span>
              <b v-if="STATES[item.state]" class="state" :class="{ wrong: item.state === 'no UVs' }">
                {{ STATES[item.state] }}
              </b>
            </span>
            <span class="name clip">{{ item.name }}</span>
            <span class="muted line">
              <span class="clip">{{ about(item) }}</span>
              <time v-if="item.touched" :datetime="item.touched">{{ since(item.touched, now) }}</time>
            </span>
          </router-link>
          <button
            v-tooltip.left="`Remove ${item.name}`"
            type="button"
            class="icon-button remove"
            :aria-label="`Remove ${item.name}`"
            @click="remove(item.id, item.name)"
          >
            <i class="pi pi-trash" />
          </button>
        </li>
        <li v-if="!project.objects.length">
          <button type="button" class="empty" @click="adder?.open(project.id)">
            <i class="pi pi-plus" />
            Bring in the first object
          </button>
        </li>
      </ul>
    </section>
    <footer>
      <Button size="small" text icon="pi pi-key" label="Access for programs…" @click="tokens = true" />
    </footer>
    <TokensDialog v-model:open="tokens" />
    <AddObject ref="adder" />
    <ConfirmDialog />
  </main>
</template>

<style scoped>
.start {
  height: 100%;
  overflow-y: auto;
  padding: 22px 32px 48px;
}
header {
  display: flex;
  align-items: center;
  gap: 14px;
  flex-wrap: wrap;
}
h1 {
  font-size: 20px;
}
.search {
  width: 230px;
}
form {
  display: flex;
  gap: 8px;
  margin-left: auto;
}
section {
  padding-top: 20px;
}
h2 {
  display: flex;
  align-items: baseline;
  gap: 10px;
  font-size: 15px;
  padding-bottom: 9px;
}
h2 .muted {
  font-size: 12px;
  font-weight: 400;
}
section > ul {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(204px, 1fr));
  gap: 14px;
}
/* Few objects keep their size on a wide screen. */
li {
  position: relative;
  max-width: 300px;
}
a,
.empty {
  display: grid;
  gap: 2px;
  width: 100%;
  color: inherit;
  text-decoration: none;
  background: var(--panel);
  border: 1px solid var(--line);
  border-radius: 5px;
  overflow: hidden;
  padding-bottom: 8px;
}
a:hover,
.empty:hover {
  border-color: var(--verdigris);
}
.picture {
  position: relative;
  display: grid;
  place-items: center;
  aspect-ratio: 3 / 2;
  background: var(--surround);
  color: #f5f5f3;
}
.picture img {
  width: 100%;
  height: 100%;
  object-fit: cover;
}
.state {
  position: absolute;
  left: 8px;
  bottom: 8px;
  padding: 1px 7px;
  border-radius: 9px;
  font-size: 11px;
  background: var(--glass);
  color: var(--ink);
}
.state.wrong {
  color: var(--oxide);
}
.name {
  font-weight: 600;
  padding: 6px 11px 0;
}
.line {
  display: flex;
  gap: 8px;
  padding: 0 11px;
  font-size: 12px;
}
.line time {
  margin-left: auto;
  white-space: nowrap;
}
.remove {
  position: absolute;
  top: 6px;
  right: 6px;
  opacity: 0;
  background: var(--glass);
}
li:hover .remove,
.remove:focus-visible {
  opacity: 1;
}
h2 .link {
  font-size: 14px;
  font-weight: 600;
  color: var(--verdigris);
  text-decoration: none;
  display: inline;
  width: auto;
  background: none;
  border: 0;
  padding: 0 8px;
}
footer {
  padding-top: 22px;
}
.whole {
  align-self: center;
  margin-left: auto;
  color: var(--muted);
}
.empty {
  min-height: 150px;
  place-content: center;
  justify-items: center;
  border-style: dashed;
  color: var(--muted);
  padding: 0;
  gap: 6px;
}
</style>
