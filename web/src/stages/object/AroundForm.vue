<script setup lang="ts">
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import Menu from 'primevue/menu'
import Select from 'primevue/select'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { FieldSchema, Neighbour } from '../../api/scene'
import { percent } from '../../figures/format'
import OptionalField from '../../controls/OptionalField.vue'
import { useNear } from '../../stores/near'
import { useWork } from '../../stores/work'

/** The high-poly twin that is measured, and other objects that stand by. */
const emit = defineEmits<{ twin: []; near: [role: 'neighbour' | 'marker'] }>()
const work = useWork()
const menu = ref<InstanceType<typeof Menu>>()
const twin = computed(() => work.scene?.object.twin)
const reach = computed(() => {
  const definitions = (work.catalogue?.object.$defs ?? {}) as Record<
    string,
    { properties: Record<string, FieldSchema> }
  >
  return definitions.Twin?.properties.reach_mm
})
const missed = computed(() => work.look.kind === 'reading' && work.look.name === 'missed')
const others = computed(() =>
  (work.projects.find((p) => p.id === work.object?.project)?.objects ?? []).filter((o) => o.id !== work.object?.id),
)
const offers = computed(() => [
  { label: 'A marker from a file…', icon: 'pi pi-map-marker', command: () => emit('near', 'marker') },
  {
    label: 'Something that stands there, from a file…',
    icon: 'pi pi-upload',
    command: () => emit('near', 'neighbour'),
  },
  ...(others.value.length ? [{ separator: true }] : []),
  ...others.value.map((o) => ({ label: o.name, icon: 'pi pi-box', command: () => add(o) })),
  ...(others.value.length > 1
    ? [{ label: `All ${others.value.length}, in a row`, icon: 'pi pi-th-large', command: addAll }]
    : []),
])
/** Beside it, clear of its box; several of them one after the other. */
function add(other: (typeof others.value)[number], place = 1) {
  const away = ((work.facts?.size_m[0] ?? 1) * 1000 + 200) * place
  const { file, name, scale, up } = other
  return work.run(
    'add-neighbour',
    { file, name, position_mm: [Math.round(away), 0, 0], scale, up },
    `Neighbour ${name}`,
  )
}
async function addAll() {
  for (const [k, other] of others.value.entries()) await add(other, k + 1)
}
function change(k: number, label: string, edit: (n: Neighbour) => void) {
  void work.editObject(label, (now) => edit(now.object.neighbours[k]))
}
const near = useNear()
const router = useRouter()
const coloursOf = (id: string) => near.value.find((one) => one.id === id)?.colours ?? []
/** A layer of paint for each colour that its pieces have in their file; then on to the layers. */
async function layOn(marker: string) {
  const markings = coloursOf(marker).map(({ color, pieces }) => ({ color, which: pieces.map((p) => `${marker}/${p}`) }))
  await work.run('lay-markings', { neighbour: marker, markings })
  await router.push({ name: 'weather', params: { object: work.object?.id } })
}
const ROLES = [
  { label: 'stands there', value: 'stands' },
  { label: 'marker', value: 'marker' },
]
const AXES = ['x', 'y (up)', 'z'] as const
</script>

<template>
  <section>
    <h2>High-poly twin</h2>
    <p class="muted">
      A finer mesh of the same object. Curvature, occlusion and the base normal are measured from it; parts of the same
      name find each other.
    </p>
    <template v-if="twin">
      <div class="line">
        <i class="pi pi-clone" />
        <span class="clip" :title="twin.file">{{ twin.file.split('/').at(-1) }}</span>
        <button type="button" class="link" @click="emit('twin')">Change…</button>
        <button
          type="button"
          class="icon-button"
          aria-label="Remove the twin"
          @click="work.editObject('Remove the twin', (now) => (now.object.twin = null))"
        >
          <i class="pi pi-trash" />
        </button>
      </div>
      <OptionalField
        v-if="reach"
        :field="reach"
        name="reach_mm"
        :model-value="twin.reach_mm"
        @done="(v) => work.editObject('Search within', (now) => now.object.twin && (now.object.twin.reach_mm = v))"
      />
      <p v-if="work.object?.twin" class="muted">
        {{ work.object.twin.matched }} of {{ work.object.twin.parts }} parts match by name. Looked for within
        {{ work.object.twin.reach_mm }} mm; {{ percent(work.object.twin.missed) }} of the surface found nothing.
      </p>
      <button
        type="button"
        class="link"
        :disabled="work.object?.readings === 'missing'"
        @click="work.show(missed ? { kind: 'lit' } : { kind: 'reading', name: 'missed' })"
      >
        {{ missed ? 'Back to the surface' : 'Show what was missed' }}
      </button>
    </template>
    <Button v-else size="small" severity="secondary" label="Bring a twin…" @click="emit('twin')" />
  </section>

  <section>
    <h2>Neighbours and markers</h2>
    <p class="muted">
      What stands by hides sky, sun and rain. A marker only says where: a line "on something" covers what its pieces
      cover.
    </p>
    <article v-for="(n, k) in work.scene?.object.neighbours ?? []" :key="n.id" :data-neighbour="n.id">
      <div class="line">
        <ToggleSwitch
          :model-value="n.on"
          :aria-label="`${n.name} stands there`"
          @update:model-value="(on) => change(k, on ? 'Neighbour on' : 'Neighbour off', (x) => (x.on = on))"
        />
        <b class="clip">{{ n.name }}</b>
        <Select
          size="small"
          :model-value="n.role"
          :options="ROLES"
          option-label="label"
          option-value="value"
          :aria-label="`What ${n.name} is`"
          @update:model-value="
            (role) => change(k, role === 'marker' ? 'Make it a marker' : 'Let it stand there', (x) => (x.role = role))
          "
        />
        <button
          type="button"
          class="icon-button"
          :aria-label="`Remove ${n.name}`"
          @click="work.run('remove-neighbour', { neighbour: n.id })"
        >
          <i class="pi pi-trash" />
        </button>
      </div>
      <button v-if="n.on && n.role === 'marker'" type="button" class="link lay" @click="layOn(n.id)">
        {{
          coloursOf(n.id).length > 1 ? `Lay paint on it in its ${coloursOf(n.id).length} colours` : 'Lay paint on it'
        }}
      </button>
      <div class="three">
        <span />
        <span v-for="axis in AXES" :key="axis" class="muted axis">{{ axis }}</span>
        <span>Place, mm</span>
        <InputNumber
          v-for="(axis, a) in AXES"
          :key="axis"
          size="small"
          fluid
          :model-value="n.position_mm[a]"
          :max-fraction-digits="1"
          :use-grouping="false"
          :aria-label="`${n.name}: place along ${axis}`"
          @update:model-value="
            (v) => v !== n.position_mm[a] && change(k, 'Move neighbour', (x) => (x.position_mm[a] = v ?? 0))
          "
        />
        <span>Turned, °</span>
        <InputNumber
          v-for="(axis, a) in AXES"
          :key="axis"
          size="small"
          fluid
          :model-value="n.rotation_deg[a]"
          :min="-360"
          :max="360"
          :max-fraction-digits="1"
          :aria-label="`${n.name}: turned about ${axis}`"
          @update:model-value="
            (v) => v !== n.rotation_deg[a] && change(k, 'Turn neighbour', (x) => (x.rotation_deg[a] = v ?? 0))
          "
        />
        <span>Unit, m</span>
        <InputNumber
          size="small"
          fluid
          :model-value="n.scale"
          :min="0.000001"
          :max="1000000"
          :max-fraction-digits="6"
          :use-grouping="false"
          :aria-label="`${n.name}: metres per unit of its file`"
          @update:model-value="(v) => v && v !== n.scale && change(k, 'Scale neighbour', (x) => (x.scale = v))"
        />
      </div>
    </article>
    <Button size="small" severity="secondary" label="Add…" aria-haspopup="menu" @click="(e) => menu?.toggle(e)" />
    <Menu ref="menu" :model="offers" popup />
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 7px;
  padding-bottom: 16px;
}
section > .p-button,
section > .link {
  justify-self: start;
}
h2 {
  font-size: 13px;
}
.line {
  display: flex;
  align-items: center;
  gap: 8px;
}
.line .clip {
  flex: 1;
}
article {
  display: grid;
  gap: 5px;
  padding: 8px 0;
  border-top: 1px solid var(--line);
}
.three {
  display: grid;
  grid-template-columns: 70px repeat(3, minmax(0, 1fr));
  gap: 4px 6px;
  align-items: center;
}
.lay {
  justify-self: start;
}
.axis {
  font-size: 12px;
  padding-left: 6px;
}
</style>
