<script setup lang="ts">
import Button from 'primevue/button'
import ProgressBar from 'primevue/progressbar'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { api, messageOf } from '../api/client'
import type { components } from '../api/schema'
import { during, Plan } from '../rest'
import { useWork } from '../stores/work'
import BatchSheet from './BatchSheet.vue'
import { asCsv, called, COLUMNS, type Row } from './sheet'

/** Many objects of a project delivered at once: a sheet of rows, what each will do, and what came of it. */
const work = useWork()
const route = useRoute()
const id = computed(() => Number(route.params.project))
const project = computed(() => work.projects.find((p) => p.id === id.value))
const key = computed(() => `limus.batch.${id.value}`)
const rows = ref<Row[]>([])
const ready = ref(false)
const plan = ref<components['schemas']['RowPlan'][]>([])
const batch = ref<components['schemas']['BatchOut']>()
const trouble = ref('')
const file = ref<HTMLInputElement>()
let gone = false
onBeforeUnmount(() => (gone = true))

const filled = computed(() => rows.value.map((row) => Object.fromEntries(Object.entries(row).filter(([, v]) => v))))
const some = computed(() => filled.value.some((row) => Object.keys(row).length))
const problems = computed(() => plan.value.filter((one) => one.problem).length)
const running = computed(() => batch.value?.job.state === 'queued' || batch.value?.job.state === 'running')

onMounted(async () => {
  await work.start()
  const kept = JSON.parse(localStorage.getItem(key.value) ?? '[]') as Row[]
  rows.value = kept.length ? kept : everyObject()
  ready.value = true
  void during('plan of a batch', look())
  const { data } = await api.GET('/api/projects/{project_id}/batches', { params: { path: { project_id: id.value } } })
  if (data?.length) {
    batch.value = data[0]
    if (running.value) void during('long work', follow())
  }
})
const everyObject = (): Row[] => called(project.value?.objects ?? []).map((o) => ({ object: o.value, target: 'maps' }))
function add() {
  const last = rows.value.at(-1)
  rows.value = [...rows.value, last ? { ...last, out: '' } : { target: 'maps' }]
}

let asked = 0
async function look() {
  const mine = ++asked
  if (!some.value) return (plan.value = [])
  const { data, error } = await api.POST('/api/projects/{project_id}/batches/plan', {
    params: { path: { project_id: id.value } },
    body: { rows: filled.value },
  })
  if (mine !== asked || gone) return
  trouble.value = data ? '' : messageOf(error)
  plan.value = data ?? []
}
const soon = new Plan('plan of a batch')
onBeforeUnmount(() => soon.off())
watch(
  filled,
  () => {
    if (!ready.value) return
    localStorage.setItem(key.value, JSON.stringify(rows.value))
    soon.after(300, () => void during('plan of a batch', look()))
  },
  { deep: true },
)

async function begin() {
  trouble.value = ''
  const { data, error } = await api.POST('/api/projects/{project_id}/batches', {
    params: { path: { project_id: id.value } },
    body: { rows: filled.value },
  })
  if (!data) return (trouble.value = messageOf(error))
  batch.value = { job: data, rows: [] }
  await during('long work', follow())
}
/** Ask until it is over; a server that is being restarted is waited for. */
async function follow() {
  const mine = batch.value!.job.id
  for (let missed = 0; !gone && batch.value?.job.id === mine && missed < 40;) {
    try {
      const { data, response } = await api.GET('/api/batches/{job_id}', { params: { path: { job_id: mine } } })
      if (response.status === 404) return (batch.value = undefined)
      missed = data ? 0 : missed + 1
      if (data) batch.value = data
      if (data && !running.value) return
    } catch {
      missed++
    }
    await new Promise((go) => setTimeout(go, 700))
  }
}
async function cancel() {
  const { data } = await api.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: batch.value!.job.id } } })
  if (data && batch.value) batch.value = { ...batch.value, job: { ...data, state: 'cancelled' } }
}

async function read(event: Event) {
  const given = (event.target as HTMLInputElement).files?.[0]
  if (!given) return
  const { data, error } = await api.POST('/api/projects/{project_id}/sheet', {
    params: { path: { project_id: id.value }, query: { name: given.name } },
    body: given as never,
    bodySerializer: (body: unknown) => body as Blob,
    headers: { 'Content-Type': 'application/octet-stream' },
  })
  ;(event.target as HTMLInputElement).value = ''
  trouble.value = data ? '' : messageOf(error)
  if (data) rows.value = data.rows as Row[]
}
function save() {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([asCsv(filled.value)], { type: 'text/csv' }))
  link.download = 'batch.csv'
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 1000)
}
const WORDS: Record<string, string> = { done: 'done', failed: 'failed', waiting: 'waits' }
</script>

<template>
  <main class="batch">
    <header>
      <router-link to="/" class="back">
        <i class="pi pi-arrow-left" />
        Projects
      </router-link>
      <h1>Batch{{ project ? `: ${project.name}` : '' }}</h1>
      <span class="buttons">
        <Button size="small" severity="secondary" icon="pi pi-upload" label="Read a sheet" @click="file?.click()" />
        <input ref="file" type="file" accept=".csv,.tsv,.xlsx" hidden aria-label="Sheet" @change="read" />
        <Button
          size="small"
          severity="secondary"
          icon="pi pi-download"
          label="Save as CSV"
          :disabled="!some"
          @click="save"
        />
      </span>
    </header>
    <p class="muted about">
      A row delivers one object: with a treatment laid on, at a snapshot or a year, with a seed of its own. The objects
      stay as they are. All of it comes in one zip, a folder for each row, with a report.
    </p>
    <p v-if="ready && !project" class="trouble" role="alert">There is no such project. Go back to all projects.</p>
    <template v-else-if="ready">
      <BatchSheet v-model="rows" :columns="COLUMNS" :plan="plan" :objects="project?.objects ?? []" />
      <div class="under">
        <Button size="small" text icon="pi pi-plus" label="Row" @click="add" />
        <Button size="small" text icon="pi pi-th-large" label="A row for each object" @click="rows = everyObject()" />
        <span class="spring" />
        <span v-if="problems" class="trouble">
          {{ problems }} of {{ plan.length }} rows cannot be done; the others can.
        </span>
        <Button
          label="Deliver all"
          icon="pi pi-play"
          :disabled="running || !plan.length || problems === plan.length"
          data-testid="begin"
          @click="begin"
        />
      </div>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <section v-if="batch" aria-label="Last batch" data-testid="batch">
        <h2>
          Last batch
          <span class="muted" role="status">
            <template v-if="running">{{ batch.job.word || 'Starting' }}</template>
            <template v-else-if="batch.job.state === 'failed'">failed</template>
            <template v-else>{{ batch.job.state }}</template>
            <template v-if="running && batch.job.seconds_left">
              , about {{ Math.ceil(batch.job.seconds_left) }} s left
            </template>
          </span>
          <Button v-if="running" size="small" severity="secondary" label="Cancel" @click="cancel" />
          <a v-if="batch.job.state === 'done'" :href="batch.job.file" data-testid="download">Download</a>
        </h2>
        <ProgressBar
          v-if="running"
          :value="Math.round(batch.job.progress * 100)"
          style="height: 8px"
          :show-value="false"
        />
        <p v-if="batch.job.error" class="trouble" role="alert">{{ batch.job.error }}</p>
        <ul>
          <li v-for="row in batch.rows" :key="row.row" :class="row.state">
            <img v-if="row.picture" :src="row.picture" :alt="row.out" loading="lazy" />
            <div v-else class="none" aria-hidden="true"><i class="pi pi-box" /></div>
            <b class="clip" :title="row.out || row.object">{{ row.out || row.object || `Row ${row.row}` }}</b>
            <span class="muted">Row {{ row.row }}, {{ WORDS[row.state] }}</span>
            <span v-if="row.problem" class="trouble">{{ row.problem.replace(/^row \d+: /, '') }}</span>
          </li>
        </ul>
      </section>
    </template>
  </main>
</template>

<style scoped>
.batch {
  padding: 18px 26px 30px;
  height: 100%;
  overflow-y: auto;
  display: grid;
  gap: 12px;
  align-content: start;
}
header,
.under,
h2 {
  display: flex;
  align-items: center;
  gap: 14px;
}
h1 {
  font-size: 20px;
}
h2 {
  font-size: 15px;
  padding: 10px 0 6px;
}
h2 .muted {
  font-weight: 400;
  font-size: 13px;
}
.back,
h2 a {
  color: var(--verdigris);
  text-decoration: none;
}
.buttons {
  margin-left: auto;
  display: flex;
  gap: 8px;
}
.about {
  max-width: 90ch;
}
.spring {
  flex: 1;
}
.trouble {
  color: var(--oxide);
}
ul {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(180px, 1fr));
  gap: 12px;
}
li {
  background: var(--panel);
  border: 1px solid var(--line);
  border-radius: 5px;
  overflow: hidden;
  display: grid;
  align-content: start;
  padding-bottom: 8px;
  max-width: 300px;
}
li > :not(img, .none) {
  padding: 2px 11px 0;
  font-size: 13px;
}
img,
.none {
  width: 100%;
  aspect-ratio: 3 / 2;
  object-fit: cover;
  background: var(--surround);
  display: grid;
  place-items: center;
  color: #f5f5f3;
}
</style>
