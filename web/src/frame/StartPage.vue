<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import Button from 'primevue/button'
import ConfirmDialog from 'primevue/confirmdialog'
import InputText from 'primevue/inputtext'
import { useConfirm } from 'primevue/useconfirm'
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, messageOf } from '../api/client'
import { useWork } from '../stores/work'
import AddObject from './AddObject.vue'

/** All projects. Whoever comes in is taken to the object that was open last. */
const work = useWork()
const router = useRouter()
const confirm = useConfirm()
const ready = ref(false)
const last = useLocalStorage('limus.object', 0)
const name = ref('')
const adder = ref<InstanceType<typeof AddObject>>()

onMounted(async () => {
  const first = !work.object
  await work.start()
  // Coming in: go on with what was open last, or with the first object where there is one project.
  const all = work.projects.flatMap((p) => p.objects)
  const next = all.find((o) => o.id === last.value) ?? (work.projects.length === 1 ? all[0] : undefined)
  if (next && first) void router.replace({ name: 'weather', params: { object: next.id } })
  else ready.value = true
})
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
    <h1>Projects</h1>
    <p v-if="!work.projects.length" class="muted">There is no project yet. Give the first one a name.</p>
    <section v-for="project in work.projects" :key="project.id">
      <h2>{{ project.name }}</h2>
      <ul>
        <li v-for="object in project.objects" :key="object.id">
          <router-link :to="{ name: 'weather', params: { object: object.id } }">
            <i class="pi pi-box" />
            {{ object.name }}
          </router-link>
          <button
            type="button"
            class="icon-button"
            :aria-label="`Remove ${object.name}`"
            @click="remove(object.id, object.name)"
          >
            <i class="pi pi-trash" />
          </button>
        </li>
        <li>
          <button type="button" class="link" @click="adder?.open(project.id)">Add an object…</button>
        </li>
      </ul>
    </section>
    <form @submit.prevent="create">
      <InputText
        v-model="name"
        placeholder="Name of a new project"
        aria-label="Name of a new project"
        maxlength="120"
      />
      <Button type="submit" label="Start a project" :disabled="!name.trim()" />
    </form>
    <AddObject ref="adder" />
    <ConfirmDialog />
  </main>
</template>

<style scoped>
.start {
  max-width: 640px;
  margin: 0 auto;
  padding: 48px 24px;
  display: grid;
  gap: 18px;
}
h1 {
  font-size: 22px;
}
section {
  background: var(--panel);
  border: 1px solid var(--line);
  border-radius: 5px;
  padding: 14px 18px;
}
h2 {
  font-size: 15px;
  padding-bottom: 8px;
}
li {
  padding: 2px 0;
  display: flex;
  align-items: center;
  gap: 6px;
}
a {
  color: inherit;
}
form {
  display: flex;
  gap: 8px;
}
form :first-child {
  flex: 1;
}
</style>
