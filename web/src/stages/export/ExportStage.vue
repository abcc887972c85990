<script setup lang="ts">
import Button from 'primevue/button'
import ProgressBar from 'primevue/progressbar'
import SelectButton from 'primevue/selectbutton'
import { computed, onBeforeUnmount, ref } from 'vue'
import { api, messageOf } from '../../api/client'
import type { Job } from '../../api/scene'
import { useWork } from '../../stores/work'
import SurfaceView from '../../view3d/SurfaceView.vue'

/** Take finished maps away. */
const work = useWork()
work.serve('weather')
const TARGETS = [
  {
    value: 'gltf' as const,
    label: 'GLB',
    about:
      'One file with the object and its maps: metallic-roughness, normal, ambient occlusion, clear coat where there is one. Opens in any renderer that reads glTF 2.0.',
  },
  {
    value: 'maps' as const,
    label: 'Maps',
    about:
      'One PNG for each channel. Colour is sRGB, everything else linear; normal and height are 16 bit. maps.json names them and gives the range of the height in mm.',
  },
]
const SIZES = [512, 1024, 2048, 4096] as const
const target = ref<'gltf' | 'maps'>('gltf')
const size = ref<(typeof SIZES)[number]>(2048)
const bits = ref<8 | 16>(8)
const job = ref<Job>()
const trouble = ref('')
let gone = false
onBeforeUnmount(() => (gone = true))

const stem = computed(
  () =>
    (work.scene?.name ?? 'object')
      .replace(/[^A-Za-z0-9]+/g, '-')
      .replace(/^-|-$/g, '')
      .toLowerCase() || 'object',
)
const sets = computed(() => (work.object?.facts.map_sets ?? []) as string[])
const files = computed(() => {
  if (target.value === 'gltf') return [`${stem.value}.glb`, 'scene.json']
  const channels = ['base-color', 'roughness', 'metalness', 'ambient-occlusion', 'normal', 'height']
  return [
    ...sets.value.flatMap((s) =>
      channels.map((c) => `${stem.value}_${s.replace(/[^A-Za-z0-9]+/g, '-').toLowerCase()}_${c}.png`),
    ),
    'maps.json',
    'scene.json',
  ]
})
const running = computed(() => job.value?.state === 'queued' || job.value?.state === 'running')

async function start() {
  trouble.value = ''
  await work.saved()
  const { data, error } = await api.POST('/api/objects/{object_id}/jobs', {
    params: { path: { object_id: work.object!.id } },
    body: { kind: 'export', quality: 'good', target: target.value, resolution: size.value, bits: bits.value },
  })
  if (!data) {
    trouble.value = messageOf(error)
    return
  }
  job.value = data
  while (running.value && !gone) {
    await new Promise((go) => setTimeout(go, 400))
    const next = await api.GET('/api/jobs/{job_id}', { params: { path: { job_id: data.id } } })
    if (next.data) job.value = next.data
  }
  if (job.value.state === 'failed') trouble.value = job.value.error
  if (job.value.state === 'done' && !gone) location.assign(job.value.file)
}
async function cancel() {
  const { data } = await api.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: job.value!.id } } })
  if (data) job.value = data
}
</script>

<template>
  <main class="stage">
    <SurfaceView />
    <aside class="sheet" aria-label="Export">
      <header><h2>Export</h2></header>
      <div class="scroll">
        <section>
          <h3>What?</h3>
          <SelectButton
            v-model="target"
            :options="TARGETS"
            option-label="label"
            option-value="value"
            :allow-empty="false"
            size="small"
            aria-label="Target"
          />
          <p class="muted">{{ TARGETS.find((t) => t.value === target)?.about }}</p>
        </section>
        <section>
          <h3>How large?</h3>
          <SelectButton
            v-model="size"
            :options="[...SIZES]"
            :allow-empty="false"
            size="small"
            aria-label="Resolution"
          />
          <p class="muted">
            Pixels along one side of each map. Readings are measured anew at this size, so edges are as sharp as the
            maps; 4096 takes a few minutes.
          </p>
          <template v-if="target === 'maps'">
            <h3>How deep?</h3>
            <SelectButton
              v-model="bits"
              :options="[8, 16]"
              :allow-empty="false"
              size="small"
              aria-label="Bits per channel"
            />
          </template>
        </section>
        <section>
          <h3>What will be written</h3>
          <ul>
            <li v-for="file in files" :key="file" class="clip">{{ file }}</li>
          </ul>
          <p class="muted">Packed in one zip. scene.json repeats the result from the command line.</p>
        </section>
        <section>
          <div v-if="running" role="status">
            <p>
              {{ job?.word || 'Waiting' }}
              <span v-if="job?.seconds_left" class="muted">about {{ Math.ceil(job.seconds_left) }} s left</span>
            </p>
            <ProgressBar
              :value="Math.round((job?.progress ?? 0) * 100)"
              style="height: 8px; margin: 8px 0 12px"
              :show-value="false"
            />
            <Button size="small" severity="secondary" label="Cancel" @click="cancel" />
          </div>
          <template v-else>
            <Button label="Export" icon="pi pi-download" data-testid="export" @click="start" />
            <p v-if="job?.state === 'done'" class="done">
              Done.
              <a :href="job.file" data-testid="download">Download again</a>
            </p>
            <p v-if="job?.state === 'cancelled'" class="muted">Cancelled; nothing was written.</p>
          </template>
          <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
        </section>
      </div>
    </aside>
  </main>
</template>

<style scoped>
.stage {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 348px;
  height: 100%;
}
.sheet {
  background: var(--panel);
  border-left: 1px solid var(--line);
  display: flex;
  flex-direction: column;
  min-height: 0;
}
header {
  height: 41px;
  display: flex;
  align-items: center;
  padding: 0 16px;
  border-bottom: 1px solid var(--line);
}
h2 {
  font-size: 16px;
}
.scroll {
  overflow-y: auto;
}
section {
  padding: 12px 16px 14px;
  border-bottom: 1px solid var(--line);
  display: grid;
  gap: 8px;
}
section:last-child {
  border: 0;
}
h3 {
  font-size: 14px;
  font-weight: 600;
}
.done a {
  color: var(--verdigris);
  font-weight: 600;
}
.trouble {
  color: var(--oxide);
}
</style>
