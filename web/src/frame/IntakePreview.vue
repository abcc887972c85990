<script setup lang="ts">
import Button from 'primevue/button'
import Checkbox from 'primevue/checkbox'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import type { Facts, ReplaceReport } from '../api/scene'
import { box, length } from '../figures/format'
import { UNITS } from '../controls/units'
import { useWork } from '../stores/work'

export interface Taking {
  name: string
  scale: number
  up: '+y' | '-y' | '+z' | '-z' | '+x' | '-x'
  unwrap: boolean
  turn: boolean
  match: Record<string, string>
}

/**
 * What was found in the files, and how it is to be taken in. The unit is asked only where the size is hard to believe.
 */
const props = defineProps<{
  facts: Facts
  report?: ReplaceReport
  purpose: 'object' | 'replace' | 'twin' | 'neighbour' | 'marker'
  busy: boolean
}>()
const emit = defineEmits<{ accept: [taking: Taking]; discard: [] }>()
const work = useWork()

const units = [...UNITS, { label: 'another length', value: 0 }]
const AXES = ['+y', '+z', '+x', '-y', '-z', '-x'].map((value) => ({
  value,
  label: value.replace('-', '−').toUpperCase(),
}))
const now = work.scene
const again = props.purpose !== 'object'
/** It is only looked at from the object: no maps, no UVs of its own. */
const beside = ['neighbour', 'marker'].includes(props.purpose)
const scale = ref(again && now ? now.object.scale : props.facts.suggested_scale)
const doubtful = computed(() => props.facts.suggested_scale !== 1 && !again)
const askUnit = ref(doubtful.value)
const unit = ref(UNITS.some((u) => u.value === scale.value) ? scale.value : 0)
const up = ref<Taking['up']>((again && now ? now.setting.up : (props.facts.suggested_up ?? '+y')) as Taking['up'])
const name = ref(props.facts.file.replace(/\.[^.]+$/, '').replace(/[-_]+/g, ' '))
const missing = computed(() => !props.facts.uv.present || props.facts.uv.missing.length > 0)
const unwrap = ref(missing.value)
const turn = ref(props.facts.mesh.inside_out.length > 0)
const match = ref<Record<string, string>>(
  Object.fromEntries((props.report?.gone ?? []).map((g) => [g.name, g.suggestion])),
)
const free = computed(() => [
  { label: 'leave it', value: '' },
  ...(props.report?.new ?? []).map((n) => ({ label: n, value: n })),
])
const size = computed(() => {
  const [x, y, z] = props.facts.size_m.map((s) => s * scale.value)
  const turned = up.value.endsWith('z') ? [x, z, y] : up.value.endsWith('x') ? [y, x, z] : [x, y, z]
  return box(turned)
})
const raw = computed(() => length(Math.hypot(...props.facts.size_m)))
/** Findings that a choice here does not deal with. */
const findings = computed(() =>
  props.facts.findings.filter(
    (f) =>
      ['problem', 'warning'].includes(f.level) &&
      !['size', 'uv-missing', 'uv-part-missing', 'inside-out'].includes(f.key),
  ),
)
function choose(value: number) {
  unit.value = value
  if (value) scale.value = value
}
const submit = () =>
  emit('accept', {
    name: name.value.trim() || props.facts.file,
    scale: scale.value,
    up: up.value,
    unwrap: unwrap.value && !beside && props.purpose !== 'twin',
    turn: turn.value && !beside,
    match: match.value,
  })
</script>

<template>
  <form class="found" @submit.prevent="submit">
    <dl>
      <dt>Found</dt>
      <dd>
        {{ facts.parts.length }} {{ facts.parts.length === 1 ? 'part' : 'parts' }},
        {{ facts.triangles.toLocaleString('en') }} triangles, {{ facts.map_sets.length }}
        {{ facts.map_sets.length === 1 ? 'map set' : 'map sets' }}{{ facts.vertex_colours ? ', vertex colours' : '' }}
      </dd>
      <template v-if="facts.textures.length && purpose !== 'twin' && !beside">
        <dt>Textures</dt>
        <dd class="clip" :title="facts.textures.join('; ')">{{ facts.textures.join('; ') }}, taken as the base</dd>
      </template>
      <dt>Size</dt>
      <dd>
        {{ size }}
        <button v-if="!askUnit && (!again || beside)" type="button" class="link" @click="askUnit = true">
          not right?
        </button>
      </dd>
    </dl>

    <p v-if="doubtful" class="doubt" role="note">
      Taken in metres it would be {{ raw }} across, which is hard to believe. Which unit was it made in?
    </p>
    <div v-if="askUnit" class="line">
      <label for="unit">Unit of the file</label>
      <Select
        size="small"
        input-id="unit"
        aria-label="Unit of the file"
        :model-value="unit"
        :options="units"
        option-label="label"
        option-value="value"
        @update:model-value="choose"
      />
      <InputNumber
        v-if="!unit"
        v-model="scale"
        size="small"
        :min="1e-12"
        :max="1e12"
        :max-fraction-digits="12"
        :use-grouping="false"
        suffix=" m"
        aria-label="Metres per unit"
      />
    </div>
    <div v-if="purpose !== 'twin'" class="line">
      <label for="axis">Up in the file</label>
      <Select
        v-model="up"
        size="small"
        input-id="axis"
        aria-label="Up in the file"
        :options="AXES"
        option-label="label"
        option-value="value"
      />
    </div>
    <div v-if="purpose === 'object' || beside" class="line">
      <label for="object-name">Name</label>
      <InputText id="object-name" v-model="name" size="small" maxlength="120" />
    </div>

    <template v-if="purpose !== 'twin' && !beside">
      <label v-if="missing" class="tick">
        <Checkbox v-model="unwrap" binary />
        <span>
          Unwrap it: {{ facts.uv.present ? `no UVs on ${facts.uv.missing.join(', ')}` : 'it has no UVs' }}, and without
          them maps have no place on it
        </span>
      </label>
      <label v-if="facts.mesh.inside_out.length" class="tick">
        <Checkbox v-model="turn" binary />
        <span>Turn {{ facts.mesh.inside_out.join(', ') }}: inside out, so edges would read as hollows</span>
      </label>
      <ul v-if="findings.length" class="findings">
        <li v-for="finding in findings" :key="finding.key">
          <i class="pi pi-exclamation-circle" />
          <span>{{ finding.what }}. {{ finding.why }}.</span>
        </li>
      </ul>
    </template>

    <section v-if="report" class="report">
      <h2>What carries over</h2>
      <ul>
        <li v-for="line in report.kept" :key="line">{{ line }}</li>
      </ul>
      <template v-if="report.look.length || report.gone.length || report.new.length">
        <h2>What needs a look</h2>
        <ul>
          <li v-for="line in report.look" :key="line">{{ line }}</li>
          <li v-for="part in report.gone" :key="part.name" class="gone">
            <span>
              Part
              <b>{{ part.name }}</b>
              is gone{{ part.used_by.length ? `; asked for by ${part.used_by.join(', ')}` : '' }}
            </span>
            <Select
              v-if="report.new.length"
              v-model="match[part.name]"
              size="small"
              :options="free"
              option-label="label"
              option-value="value"
              :aria-label="`${part.name} is now`"
            />
          </li>
          <li v-if="report.new.length">New parts: {{ report.new.join(', ') }}</li>
        </ul>
      </template>
    </section>

    <footer>
      <Button type="button" size="small" severity="secondary" label="Discard" @click="emit('discard')" />
      <Button
        type="submit"
        size="small"
        :label="
          {
            object: 'Take it in',
            replace: 'Replace',
            twin: 'Use as the twin',
            neighbour: 'Let it stand there',
            marker: 'Use as a marker',
          }[purpose]
        "
        :loading="busy"
      />
    </footer>
  </form>
</template>

<style scoped>
.found {
  display: grid;
  gap: 9px;
}
dl {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr);
  gap: 4px 10px;
  margin: 0;
}
dt {
  color: var(--muted);
}
dd {
  margin: 0;
}
.doubt {
  color: var(--oxide);
}
.line {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr) auto;
  gap: 10px;
  align-items: center;
}
.tick {
  display: grid;
  grid-template-columns: 20px 1fr;
  gap: 8px;
  align-items: start;
}
.findings li {
  display: grid;
  grid-template-columns: 20px 1fr;
  gap: 8px;
}
.findings i {
  color: var(--oxide);
  padding-top: 2px;
}
.report {
  border-top: 1px solid var(--line);
  padding-top: 8px;
  display: grid;
  gap: 4px;
  max-height: 260px;
  overflow-y: auto;
}
.report h2 {
  font-size: 13px;
}
.report li {
  padding: 1px 0 1px 12px;
}
.gone {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 10px;
}
footer {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  padding-top: 6px;
}
</style>
