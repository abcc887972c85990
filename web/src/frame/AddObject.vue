<script setup lang="ts">
import { during } from '../rest'
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import ProgressBar from 'primevue/progressbar'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, messageOf, sendFile } from '../api/client'
import type { Facts, Intake, ReplaceReport } from '../api/scene'
import { useWork } from '../stores/work'
import IntakePreview, { type Taking } from './IntakePreview.vue'

/**
 * Bring files in: a new object, a newer version of one, or a high-poly twin. What was found is shown before it is
 * accepted.
 */
type Purpose = 'object' | 'replace' | 'twin' | 'neighbour' | 'marker'
const work = useWork()
const router = useRouter()
const visible = ref(false)
const round = ref(0)
const over = ref(false)
const purpose = ref<Purpose>('object')
const project = ref(0)
const target = ref<number>()
const phase = ref<'choose' | 'sending' | 'checking' | 'preview' | 'taking'>('choose')
const share = ref(0)
const trouble = ref('')
const intake = ref<Intake>()
const tries = ref<string[]>([])
const picker = ref<HTMLInputElement>()
let stop = new AbortController()

const heading = computed(() =>
  held.value.length && phase.value === 'choose'
    ? held.value[0].name
    : {
        object: 'Add an object',
        replace: `Replace ${work.scene?.name ?? 'the model'}`,
        twin: 'High-poly twin',
        neighbour: 'Something that stands there',
        marker: 'A marker',
      }[purpose.value],
)
const kinds = computed(() => work.catalogue?.file_kinds ?? [])

/** Files that were dropped on an object, until it is said what they are. */
const held = ref<File[]>([])
const WHAT: [Purpose, string, string][] = [
  ['marker', 'A marker', 'Says where: lines find what it covers. It lies as its file says and is never measured.'],
  ['neighbour', 'Something that stands there', 'Hides sky, sun and rain, and can be near.'],
  ['replace', 'A newer version of this model', 'Layers and masks stay. Of two files the finer one becomes its twin.'],
  ['twin', 'Its high-poly twin', 'Readings are measured from it.'],
  ['object', 'An object of its own', ''],
]
/** Ask what dropped files are to the object at hand. */
function offer(files: File[]) {
  if (!work.object || !files.length) return
  open(work.object.project)
  held.value = files
}
function say(what: Purpose) {
  const files = held.value
  held.value = []
  purpose.value = what
  target.value = what === 'object' ? undefined : work.object?.id
  void send(files)
}

function open(inProject: number, what: Purpose = 'object', object?: number) {
  held.value = []
  twin.value = undefined
  project.value = inProject
  purpose.value = what
  target.value = object
  phase.value = 'choose'
  trouble.value = ''
  intake.value = undefined
  round.value++
  visible.value = true
  void api.GET('/api/try-out').then(({ data }) => (tries.value = data ?? []))
}
/** Go on with what a program brought and had looked at. */
function resume(found: Intake, inProject: number, object: number) {
  open(inProject, 'replace', object)
  stop = new AbortController()
  intake.value = found
  phase.value = 'preview'
}
defineExpose({ open, offer, resume })

async function begin(tryOut = ''): Promise<Intake> {
  const { data, error } = await api.POST('/api/projects/{project_id}/intakes', {
    params: { path: { project_id: project.value } },
    body: { purpose: purpose.value, object: target.value ?? null, offer: false, try_out: tryOut },
  })
  if (!data) throw new Error(messageOf(error))
  intake.value = data
  return data
}
/** The twin that comes after a newer version: of two models brought at once the larger file. */
const twin = ref<File>()
const modelsIn = (files: File[]) =>
  files.filter((file) => work.isModel(file.name) && !file.name.endsWith('.zip')).sort((a, b) => a.size - b.size)
async function send(files: File[]) {
  if (!files.length) return
  const models = modelsIn(files)
  if (purpose.value === 'replace' && models.length === 2) {
    twin.value = models[1]
    files = files.filter((file) => file !== models[1])
  }
  trouble.value = ''
  share.value = 0
  phase.value = 'sending'
  stop = new AbortController()
  const mine = stop
  try {
    const made = await begin()
    const total = files.reduce((sum, f) => sum + f.size, 0) || 1
    let sent = 0
    for (const file of files) {
      await sendFile(made.id, file, (bytes) => (share.value = (sent + bytes) / total), mine.signal)
      sent += file.size
    }
    await check(made.id, mine)
  } catch (error) {
    failed(error)
  } finally {
    if (picker.value) picker.value.value = ''
  }
}
async function take(name: string) {
  trouble.value = ''
  stop = new AbortController()
  try {
    const made = await begin(name)
    await check(made.id, stop)
  } catch (error) {
    failed(error)
  }
}
/** What the server does, or what it waits for. */
const word = ref('')
async function check(id: number, mine: AbortController) {
  phase.value = 'checking'
  word.value = ''
  let { data } = await api.POST('/api/intakes/{intake_id}/check', { params: { path: { intake_id: id } } })
  while (data && data.state === 'checking' && !mine.signal.aborted) {
    await during('the check of what came', new Promise((go) => setTimeout(go, 250)))
    try {
      const found = await api.GET('/api/intakes/{intake_id}', { params: { path: { intake_id: id } } })
      // A server that is away for a moment comes back; what it was looking at goes on then.
      if (!found.data && found.response.status < 500) break
      data = found.data ?? data
      word.value = found.data ? (found.data.word ?? '') : 'Waiting for the server'
    } catch {
      word.value = 'Waiting for the server'
      await new Promise((go) => setTimeout(go, 1500))
    }
  }
  if (mine.signal.aborted) return
  if (!data) throw new Error('The server did not answer. Check that it is running.')
  if (data.state === 'failed') throw new Error(data.error)
  intake.value = data
  phase.value = 'preview'
}
function failed(error: unknown) {
  void discard()
  phase.value = 'choose'
  if ((error as Error).name !== 'AbortError') trouble.value = (error as Error).message
}
async function discard() {
  const id = intake.value?.id
  intake.value = undefined
  if (id) await api.DELETE('/api/intakes/{intake_id}', { params: { path: { intake_id: id } } })
}
function cancel() {
  stop.abort()
  void discard()
  phase.value = 'choose'
}
async function accept(taking: Taking) {
  if (!intake.value) return
  phase.value = 'taking'
  trouble.value = ''
  if (target.value) await work.saved()
  const { data, error, response } = await api.POST('/api/intakes/{intake_id}/accept', {
    params: { path: { intake_id: intake.value.id } },
    body: { ...taking, base: target.value ? (work.version?.version ?? null) : null },
  })
  if (!data) {
    trouble.value = messageOf(error)
    phase.value = 'preview'
    if (response.status === 409) await work.refresh()
    return
  }
  intake.value = undefined
  if (twin.value) {
    const finer = twin.value
    twin.value = undefined
    await work.reload()
    purpose.value = 'twin'
    void send([finer])
    return
  }
  visible.value = false
  await work.start()
  if (target.value) await work.reload()
  else await router.push({ name: 'object', params: { object: data.id } })
}
function drop(event: DragEvent) {
  over.value = false
  void send([...(event.dataTransfer?.files ?? [])])
}
</script>

<template>
  <Dialog :key="round" v-model:visible="visible" modal :header="heading" :style="{ width: '520px' }" @hide="cancel">
    <ul v-if="phase === 'choose' && held.length" class="what">
      <li class="muted">What is it to {{ work.scene?.name }}?</li>
      <li v-for="[value, title, about] in WHAT" :key="value">
        <button type="button" @click="say(value)">
          <b>{{ title }}</b>
          <span class="muted">{{ about }}</span>
        </button>
      </li>
    </ul>
    <template v-else-if="phase === 'choose'">
      <div
        class="drop"
        :class="{ over }"
        @dragover.prevent="over = true"
        @dragleave="over = false"
        @drop.prevent="drop"
      >
        <p>
          Drop a
          <b>.glb, .gltf, .obj, .ply or .stl</b>
          here, with its textures beside it or all in a
          <b>.zip</b>
          .
        </p>
        <Button size="small" label="Choose files" @click="picker?.click()" />
        <input
          ref="picker"
          type="file"
          multiple
          :accept="kinds.join(',')"
          hidden
          aria-label="Object file"
          @change="send([...(picker?.files ?? [])])"
        />
      </div>
      <p v-if="tries.length" class="tries muted">
        No file at hand? Try
        <template v-for="(name, k) in tries" :key="name">
          {{ k ? (k === tries.length - 1 ? ' or ' : ', ') : '' }}
          <button type="button" class="link" @click="take(name)">{{ name }}</button>
        </template>
      </p>
    </template>
    <div v-else-if="phase === 'sending' || phase === 'checking'" class="drop" role="status">
      <p>{{ phase === 'sending' ? 'Uploading' : word || 'Looking at the files' }}</p>
      <ProgressBar
        :value="Math.round(share * 100)"
        :mode="phase === 'sending' ? 'determinate' : 'indeterminate'"
        style="height: 6px; width: 260px"
        :show-value="false"
      />
      <Button size="small" severity="secondary" label="Cancel" @click="cancel" />
    </div>
    <p v-if="phase === 'preview' && twin" class="muted after" role="note">
      {{ twin.name }}, the finer one, comes next: as its high-poly twin.
    </p>
    <IntakePreview
      v-if="intake && (phase === 'preview' || phase === 'taking')"
      :facts="intake.facts as unknown as Facts"
      :report="purpose === 'replace' ? (intake.report as unknown as ReplaceReport) : undefined"
      :purpose="purpose"
      :busy="phase === 'taking'"
      @accept="accept"
      @discard="visible = false"
    />
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </Dialog>
</template>

<style scoped>
.drop {
  border: 1px dashed var(--muted);
  border-radius: 5px;
  min-height: 150px;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: 14px;
  padding: 0 40px;
  text-align: center;
}
.drop.over {
  background: var(--tint);
  border-color: var(--verdigris);
}
.what {
  display: grid;
  gap: 5px;
}
.what button {
  display: grid;
  gap: 1px;
  width: 100%;
  padding: 8px 11px;
  text-align: left;
  border: 1px solid var(--line);
  border-radius: 5px;
}
.what button:hover,
.what button:focus-visible {
  border-color: var(--verdigris);
  background: var(--tint);
}
.after {
  padding-bottom: 8px;
}
.tries {
  padding-top: 12px;
}
.trouble {
  color: var(--oxide);
  padding-top: 12px;
}
</style>
