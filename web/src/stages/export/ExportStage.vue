<script setup lang="ts">
import type { components } from '../../api/schema'
import Button from 'primevue/button'
import ProgressBar from 'primevue/progressbar'
import SelectButton from 'primevue/selectbutton'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { api, messageOf } from '../../api/client'
import type { Job } from '../../api/scene'
import { useWork } from '../../stores/work'
import SurfaceView from '../../view3d/SurfaceView.vue'
import MasksAlong from './MasksAlong.vue'

/** Take finished maps away. */
const work = useWork()
work.serve('weather')
const targets = computed(() => work.catalogue?.targets ?? [])
const kind = ref('gltf')
const target = computed(() => targets.value.find((t) => t.kind === kind.value) ?? targets.value[0])
const size = ref(2048)
const bits = ref(8)
const masks = ref<string[]>([])
const packed = ref(false)
/** Layers may have gone, or be off, since they were ticked. */
const along = computed(() => masks.value.filter((one) => !work.evaluation || work.outcome.has(one.split(':')[0])))
const job = ref<Job>()
const trouble = ref('')
let gone = false
onBeforeUnmount(() => (gone = true))

/** What the core would write for the scene as it is, and the sizes that this server has the memory for. */
const listing = ref<components['schemas']['DeliveryOut']>()
const why = ref('')
let asked = 0
watch(
  [kind, along, packed, () => work.version?.version, () => work.object?.readings],
  async () => {
    const mine = ++asked
    await work.saved()
    if (!work.object) return
    const { data, error } = await api.GET('/api/objects/{object_id}/delivery', {
      params: {
        path: { object_id: work.object.id },
        query: { target: kind.value, masks: along.value, packed: packed.value },
      },
    })
    if (mine !== asked || gone) return
    listing.value = data
    why.value = data ? '' : messageOf(error)
    if (data?.sizes.length && !data.sizes.includes(size.value)) size.value = data.sizes.at(-1)!
    if (target.value && !target.value.depths.includes(bits.value)) bits.value = target.value.depths[0]
  },
  { immediate: true },
)
const sizes = computed(() => (target.value?.sizes ?? []).filter((n) => n >= 512))
const running = computed(() => job.value?.state === 'queued' || job.value?.state === 'running')

async function start() {
  trouble.value = ''
  await work.saved()
  const { data, error } = await api.POST('/api/objects/{object_id}/jobs', {
    params: { path: { object_id: work.object!.id } },
    body: {
      kind: 'export',
      quality: 'good',
      target: kind.value,
      resolution: size.value,
      bits: bits.value,
      masks: along.value,
      packed: packed.value,
    },
  })
  if (!data) {
    trouble.value = messageOf(error)
    return
  }
  job.value = data
  const done = await work.follow(
    data,
    (now) => (job.value = now),
    () => !gone && job.value?.state !== 'cancelled',
  )
  if (gone || job.value?.state === 'cancelled') return
  job.value = done
  if (!done) trouble.value = 'The export is gone from the server. Export again.'
  else if (done.state === 'failed') trouble.value = done.error
  else if (done.state === 'done') location.assign(done.file)
}
async function cancel() {
  const { data } = await api.POST('/api/jobs/{job_id}/cancel', { params: { path: { job_id: job.value!.id } } })
  // What runs is ended within a second; nobody has to watch that.
  if (data) job.value = { ...data, state: 'cancelled' }
}
</script>

<template>
  <main class="stage">
    <SurfaceView />
    <aside class="sheet" aria-label="Export">
      <header><h1>Export</h1></header>
      <div class="scroll">
        <section>
          <h2>What?</h2>
          <SelectButton
            v-model="kind"
            :options="targets"
            option-label="title"
            option-value="kind"
            :allow-empty="false"
            size="small"
            aria-label="Target"
          />
          <p class="muted">{{ target?.about }}</p>
        </section>
        <section>
          <h2>How large?</h2>
          <SelectButton
            v-model="size"
            :options="sizes"
            :option-disabled="(n: number) => !!listing && !listing.sizes.includes(n)"
            :allow-empty="false"
            size="small"
            aria-label="Resolution"
          />
          <p v-if="listing" class="muted" data-testid="memory">
            Takes about {{ listing.takes[size] }} of memory; this server gives an export {{ listing.memory }}.
          </p>
          <p class="muted">
            Pixels along one side of each map. Up to 2048 readings are measured anew at this size. What is larger is
            drawn tile by tile, so it takes time and hardly more memory: 4096 a few minutes, 8192 four times as long.
          </p>
          <template v-if="(target?.depths.length ?? 0) > 1">
            <h2>How deep?</h2>
            <SelectButton
              v-model="bits"
              :options="target?.depths"
              :allow-empty="false"
              size="small"
              aria-label="Bits per channel"
            />
          </template>
        </section>
        <MasksAlong v-model:chosen="masks" v-model:packed="packed" />
        <section>
          <h2>What will be written</h2>
          <ul>
            <li v-for="file in listing?.files" :key="file" v-tooltip.left="file" class="clip">{{ file }}</li>
          </ul>
          <p v-if="why" class="trouble">{{ why }}</p>
          <p v-else-if="!listing" class="muted" role="status">Finding out…</p>
          <p class="muted">Packed in one zip. scene.json repeats the result from the command line.</p>
        </section>
        <section>
          <div v-if="running" role="status">
            <p>
              {{ job?.word || 'Waiting' }}
              <span v-if="job?.seconds_left && !job.word?.endsWith('left')" class="muted">
                about {{ Math.ceil(job.seconds_left) }} s left
              </span>
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
h2 {
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
