<script setup lang="ts">
import Slider from 'primevue/slider'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { api, messageOf } from '../../api/client'
import type { components } from '../../api/schema'
import { percent, readable } from '../../figures/format'
import { Plan } from '../../rest'
import { useWork } from '../../stores/work'

/** What the surface measures in a year: grades, coats, thicknesses, part by part; to take away as a page or a table. */
type Condition = components['schemas']['Condition']
const work = useWork()
const found = ref<Condition>()
const wrong = ref('')
const year = ref(Number(work.scene?.year ?? work.today))
const of = ref('')
const parts = computed(() => [found.value?.whole, ...(found.value?.parts ?? [])].filter((p) => p !== undefined))
const part = computed(() => parts.value.find((p) => p.name === of.value) ?? found.value?.whole)
let ticket = 0
async function look() {
  const id = work.object?.id
  if (id === undefined) return
  const mine = ++ticket
  const { data, error } = await api.GET('/api/objects/{object_id}/condition', {
    params: { path: { object_id: id }, query: { year: year.value } },
  })
  if (mine !== ticket) return
  found.value = (data as unknown as Condition | undefined) ?? found.value
  wrong.value = data ? '' : messageOf(error)
}
const later = new Plan('the condition')
watch(
  () => [work.object?.id, work.version?.version, year.value, work.saving] as const,
  ([, , , saving]) => !saving && later.after(250, () => void look()),
  { immediate: true },
)
onBeforeUnmount(() => later.off())
const file = (kind: string) => `/api/objects/${work.object?.id}/condition.${kind}?year=${year.value}`
</script>

<template>
  <div class="condition">
    <section class="sheet-part">
      <h3>
        Year {{ readable(year) }}
        <small>
          <a class="link" :href="file('pdf')" download>PDF</a>
          ·
          <a class="link" :href="file('csv')" download>CSV</a>
        </small>
      </h3>
      <Slider
        v-model="year"
        :min="0"
        :max="work.today"
        :step="Math.max(0.1, work.today / 100)"
        aria-label="Year of the report"
        class="year"
      />
      <p v-if="wrong" class="trouble" role="alert">{{ wrong }}</p>
      <p v-else-if="!found" class="muted" role="status">Measuring…</p>
    </section>
    <template v-if="part">
      <section class="sheet-part">
        <h3>
          Grades
          <small>
            <select v-if="parts.length > 1" v-model="of" class="part" aria-label="Part">
              <option v-for="p in parts" :key="p.name" :value="p.name">{{ p.name || 'All of it' }}</option>
            </select>
          </small>
        </h3>
        <dl>
          <dt>Area</dt>
          <dd>{{ readable(part.area_m2) }} m²</dd>
          <dt>Rusted, {{ percent(part.rusted) }}</dt>
          <dd>
            <b>{{ part.rust_iso }}</b>
            ISO 4628-3,
            <b>{{ part.rust_astm }}</b>
            ASTM D610
          </dd>
          <template v-if="part.flaked !== null && part.flaked !== undefined">
            <dt>Paint flaked, {{ percent(part.flaked) }}</dt>
            <dd>
              <b>{{ part.flaking_iso }}</b>
              ISO 4628-5
            </dd>
          </template>
          <template v-for="[name, width, grade] in found!.cracks" :key="String(name)">
            <dt>{{ name }}, {{ width }} mm wide</dt>
            <dd>
              size
              <b>{{ grade }}</b>
              ISO 4628-4
            </dd>
          </template>
          <template v-if="part.film_um">
            <dt>Paint, all coats</dt>
            <dd>
              {{ readable(part.film_um.mean) }} µm ({{ readable(part.film_um.low) }} –
              {{ readable(part.film_um.high) }})
            </dd>
          </template>
        </dl>
      </section>
      <section class="sheet-part">
        <h3>Coats</h3>
        <table aria-label="Coats">
          <thead>
            <tr class="muted">
              <th>Coat</th>
              <th>Shows</th>
              <th>Lies</th>
              <th>Mean µm</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(coat, k) in part.coats" :key="k">
              <td class="clip" :title="coat.family">{{ coat.name }}</td>
              <td>{{ percent(coat.shows) }}</td>
              <td>{{ percent(coat.lies) }}</td>
              <td>{{ coat.thickness_um ? readable(coat.thickness_um.mean) : '' }}</td>
            </tr>
          </tbody>
        </table>
        <p v-for="note in found!.notes" :key="note" class="muted small">{{ note }}.</p>
      </section>
    </template>
  </div>
</template>

<style scoped>
.year {
  margin: 10px 6px 6px;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 5px 10px;
  margin: 0;
}
dd {
  margin: 0;
  text-align: right;
}
.part {
  max-width: 160px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--panel);
}
table {
  width: 100%;
  table-layout: fixed;
  border-collapse: collapse;
}
th {
  font-weight: 400;
  text-align: right;
}
th:first-child,
td:first-child {
  text-align: left;
  width: 46%;
}
td {
  text-align: right;
  padding: 2px 0;
}
.small {
  font-size: 12px;
  padding-top: 6px;
}
.trouble {
  color: var(--oxide);
}
</style>
