<script setup lang="ts">
import type { components } from '../../api/schema'
import Button from 'primevue/button'
import ProgressBar from 'primevue/progressbar'
import Checkbox from 'primevue/checkbox'
import Select from 'primevue/select'
import SelectButton from 'primevue/selectbutton'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { api, messageOf } from '../../api/client'
import type { Job } from '../../api/scene'
import { during, Plan } from '../../rest'
import { useWork } from '../../stores/work'
import ToggleButton from 'primevue/togglebutton'
import SurfaceView from '../../view3d/SurfaceView.vue'
import GutterField from './GutterField.vue'
import KeptOrders from './KeptOrders.vue'
import MapList from './MapList.vue'
import MapSizes from './MapSizes.vue'
import MasksAlong from './MasksAlong.vue'
import NamePattern from './NamePattern.vue'
import RecipeLines from './RecipeLines.vue'
import { sent, useOrder } from './useOrder'
import VariantTicks from './VariantTicks.vue'
import VertexFields from './VertexFields.vue'

/** Take finished maps away. */
const work = useWork()
work.serve('weather')
const { draft, order, targets, target, takes, bits, remember, take } = useOrder()
/** Layers may have gone, or be off, since they were ticked. */
const along = computed(() => draft.masks.filter((one) => !work.evaluation || work.outcome.has(one.split(':')[0])))
const asking = computed(() => ({ ...order.value, ...(draft.masks.length ? { masks: along.value } : {}) }))
const job = ref<Job>()
const trouble = ref('')
/** The view shows what was written, opened as any other program would. */
const fromFile = ref(false)
const looksAt = computed(() => (fromFile.value && job.value?.state === 'done' && job.value.model) || undefined)
watch(
  () => JSON.stringify(asking.value),
  () => (fromFile.value = false),
)
let gone = false
onBeforeUnmount(() => (gone = true))

/** What the core would write for the scene as it is, and the sizes that this server has the memory for. */
const listing = ref<components['schemas']['DeliveryOut']>()
const why = ref<{ message: string; where?: string }>()
let asked = 0
const memory = computed(() => {
  const whole = work.catalogue?.drawn_whole_to ?? Infinity
  const large = sizes.value.some((one) => one.value > whole)
  const above = large ? `; above ${whole} maps are drawn tile by tile, which takes minutes and hardly more memory` : ''
  return `Pixels along one side of each map. This server gives an export ${listing.value?.memory}${above}.`
})
const soon = new Plan('listing')
onBeforeUnmount(() => soon.off())
watch(
  [() => JSON.stringify(asking.value), () => work.version?.version, () => work.object?.readings],
  // What is typed is asked for when it stands still.
  (now, before) => soon.after(before?.[0] && now[0] !== before[0] ? 250 : 0, () => void during('listing', list())),
  { immediate: true },
)
async function list() {
  const mine = ++asked
  await work.saved()
  if (!work.object || mine !== asked || gone) return
  remember()
  const { data, error } = await api.POST('/api/objects/{object_id}/delivery', {
    params: { path: { object_id: work.object.id } },
    body: sent(asking.value),
  })
  if (mine !== asked || gone) return
  // What was listed before stays in view while something is wrong.
  if (data) listing.value = data
  why.value = data ? undefined : { ...(error as object), message: messageOf(error) }
  if (data?.sizes.length && !data.sizes.includes(draft.resolution)) draft.resolution = data.sizes.at(-1)!
}
const wrong = (field: string) => !!why.value?.where?.includes(field)
const wrongLine = computed(() => Number(/recipe\[(\d+)\]/.exec(why.value?.where ?? '')?.[1] ?? -1))
const sizes = computed(() =>
  (target.value?.sizes ?? [])
    .filter((n) => n >= 256)
    .map((n) => ({
      value: n,
      label: listing.value ? `${n}, about ${listing.value.takes[n]} of memory` : String(n),
      off: !!listing.value && !listing.value.sizes.includes(n),
    })),
)
/** Maps that may be smaller: those that are written, by their titles. */
const titles = computed(() =>
  Object.keys(work.catalogue?.packing.maps ?? {}).filter((title) => listing.value?.maps.includes(title)),
)
watch(
  () => draft.target,
  () => {
    if (takes('recipe') && !draft.recipe.length)
      draft.recipe = [...(Object.values(work.catalogue?.packing.presets ?? {})[0] ?? [])]
  },
)
const running = computed(() => job.value?.state === 'queued' || job.value?.state === 'running')

/** The file is on its way into the view. */
const opening = ref(false)
const lower = (text: string) => text[0].toLowerCase() + text.slice(1)

async function start() {
  trouble.value = ''
  await work.saved()
  const { data, error } = await api.POST('/api/objects/{object_id}/jobs', {
    params: { path: { object_id: work.object!.id } },
    body: { kind: 'export', quality: 'good', order: sent(asking.value) },
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
    <SurfaceView :file="looksAt" @opening="(now) => (opening = now)" @unopened="fromFile = false" />
    <aside class="sheet" aria-label="Export">
      <header><h1>Export</h1></header>
      <div class="scroll">
        <section>
          <h2>What?</h2>
          <Select
            v-model="draft.target"
            :options="targets"
            option-label="title"
            option-value="kind"
            size="small"
            scroll-height="20rem"
            aria-label="Target"
          />
          <p class="muted">{{ target?.about }}</p>
          <p v-if="target?.lacks" class="muted">Has no place for: {{ lower(target.lacks) }}.</p>
          <RecipeLines v-if="takes('recipe')" v-model="draft.recipe" :wrong="wrongLine" />
          <VariantTicks v-if="takes('snapshots')" v-model="draft.snapshots" />
          <KeptOrders :order="order" @take="take" />
        </section>
        <section>
          <h2>How large?</h2>
          <Select
            v-model="draft.resolution"
            :options="sizes"
            option-label="label"
            option-value="value"
            option-disabled="off"
            size="small"
            aria-label="Resolution"
          />
          <p v-if="listing" class="muted" data-testid="memory">{{ memory }}</p>
          <MapSizes v-if="takes('sizes')" v-model="draft.sizes" :titles="titles" :resolution="draft.resolution" />
          <label v-if="(target?.depths.length ?? 0) > 1" class="row">
            <span>Bits of each number</span>
            <SelectButton
              :model-value="bits"
              :options="target?.depths"
              :allow-empty="false"
              size="small"
              aria-label="Bits per channel"
              @update:model-value="(n: number) => (draft.bits = n)"
            />
          </label>
          <label v-if="takes('dither') && bits === 8" class="tick">
            <Checkbox v-model="draft.dither" binary size="small" />
            <span>Dither, so that smooth slopes show no steps</span>
          </label>
          <GutterField v-if="takes('gutter')" v-model:pixels="draft.gutter" v-model:mm="draft.gutter_mm" />
          <p v-for="note in listing?.notes" :key="note" class="muted" role="status">{{ note }}.</p>
          <VertexFields v-if="takes('moved')" v-model:moved="draft.moved" v-model:edge="draft.edge_mm" />
        </section>
        <MasksAlong v-model:chosen="draft.masks" v-model:packed="draft.packed" :within="target?.masks_within" />
        <section>
          <h2>What will be written</h2>
          <NamePattern v-if="takes('names')" v-model="draft.names" :wrong="wrong('names')" />
          <p v-if="why" class="trouble" role="alert">{{ why.message }}</p>
          <MapList v-if="listing" :files="listing.files" :order="asking" :class="{ stale: !!why }" />
          <p v-else-if="!why" class="muted" role="status">Finding out…</p>
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
            <Button label="Export" icon="pi pi-download" data-testid="export" :disabled="!!why" @click="start" />
            <p v-if="job?.state === 'done'" class="done">
              Done.
              <a :href="job.file" data-testid="download">Download again</a>
            </p>
            <ToggleButton
              v-if="job?.state === 'done' && job.model"
              v-model="fromFile"
              size="small"
              :on-label="opening ? 'Opening the file…' : 'The view shows the file'"
              off-label="See the file in the view"
              on-icon="pi pi-eye"
              off-icon="pi pi-eye"
            />
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
h1 {
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
.row {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 12px;
}
.row :deep(input) {
  width: 72px;
}
.tick {
  display: flex;
  gap: 8px;
  align-items: center;
}
.stale {
  opacity: 0.5;
}
.done a {
  color: var(--verdigris);
  font-weight: 600;
}
.trouble {
  color: var(--oxide);
}
</style>
