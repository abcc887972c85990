<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import { computed, onMounted, ref } from 'vue'
import { api } from '../api/client'
import type { components } from '../api/schema'
import { useWork } from '../stores/work'
import { called, type Column, type Row } from './sheet'

/** The sheet of a batch: a row for each delivery, what it will do at its end. */
const rows = defineModel<Row[]>({ required: true })
const props = defineProps<{
  columns: Column[]
  plan: components['schemas']['RowPlan'][]
  objects: { id: number; name: string }[]
}>()
const work = useWork()
const shelf = ref<components['schemas']['TreatmentOut'][]>([])
const kept = ref<components['schemas']['OrderOut'][]>([])
onMounted(async () => {
  const [treatments, orders] = await Promise.all([api.GET('/api/treatments'), api.GET('/api/orders')])
  shelf.value = treatments.data ?? []
  kept.value = orders.data ?? []
})
/** What an empty cell means; a list shows nothing for an empty value by itself. */
const EMPTY: Record<string, string> = { treatment: 'none', order: 'none', target: 'as in settings', size: 'usual' }
const empty = (kind: string) => ({ label: EMPTY[kind], value: '' })
/** What any target takes. */
const sizes = computed(() =>
  [...new Set((work.catalogue?.targets ?? []).flatMap((one) => one.sizes))].sort((a, b) => a - b),
)
const choices = computed<Record<string, { label: string; value: string }[]>>(() => ({
  object: called(props.objects),
  treatment: [empty('treatment'), ...shelf.value.map((t) => ({ label: t.title, value: t.own ? t.title : t.name }))],
  order: [empty('order'), ...kept.value.filter((o) => o.order).map((o) => ({ label: o.name, value: o.name }))],
  target: [empty('target'), ...(work.catalogue?.targets ?? []).map((t) => ({ label: t.title, value: t.kind }))],
  size: [empty('size'), ...sizes.value.map((n) => ({ label: String(n), value: String(n) }))],
}))
/** What a sheet brought and the list has not is still shown. */
function options(column: Column, row: Row) {
  const have = choices.value[column.kind]
  const value = row[column.name] ?? ''
  return have.some((one) => one.value === value) ? have : [{ label: value || 'choose', value }, ...have]
}
function set(k: number, name: string, text: string | undefined) {
  rows.value = rows.value.map((row, n) => (n === k ? { ...row, [name]: text ?? '' } : row))
}
/** Rows count as a table program counts them: the first is row 2. */
const planned = computed(() => new Map(props.plan.map((one) => [one.row - 2, one])))
const wrong = (k: number, column: Column) => {
  const said = planned.value.get(k)?.problem.split(':')
  return !!said && said.length > 1 && said.slice(1, -1).some((word) => word.trim().split('[')[0] === column.name)
}
</script>

<template>
  <div class="frame">
    <table>
      <thead>
        <tr>
          <td></td>
          <th v-for="column in columns" :key="column.name" v-tooltip.bottom="column.about" :class="column.kind">
            {{ column.title }}
          </th>
          <th class="will">Gives</th>
          <td></td>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, k) in rows" :key="k" :data-row="k + 2">
          <td class="number muted">{{ k + 2 }}</td>
          <td v-for="column in columns" :key="column.name" :class="column.kind">
            <InputText
              v-if="column.kind === 'text' || column.kind === 'number'"
              size="small"
              :model-value="row[column.name] ?? ''"
              :invalid="wrong(k, column)"
              :inputmode="column.kind === 'number' ? 'decimal' : undefined"
              :aria-label="`${column.title} of row ${k + 2}`"
              maxlength="120"
              @update:model-value="(text) => set(k, column.name, text)"
            />
            <Select
              v-else
              size="small"
              :options="options(column, row)"
              option-label="label"
              option-value="value"
              :filter="column.kind === 'object' || column.kind === 'treatment'"
              :model-value="row[column.name] ?? ''"
              :placeholder="EMPTY[column.kind] ?? 'choose'"
              :invalid="wrong(k, column)"
              :aria-label="`${column.title} of row ${k + 2}`"
              @update:model-value="(text: string) => set(k, column.name, text)"
            />
          </td>
          <td class="will" :class="{ trouble: planned.get(k)?.problem }">
            <span v-if="planned.get(k)?.problem" class="clip" :title="planned.get(k)?.problem">
              {{ planned.get(k)?.problem.replace(/^row \d+: /, '') }}
            </span>
            <span v-else class="clip muted">{{ planned.get(k)?.out ? `${planned.get(k)?.out}/` : '' }}</span>
          </td>
          <td>
            <Button
              size="small"
              text
              severity="secondary"
              icon="pi pi-times"
              :aria-label="`Remove row ${k + 2}`"
              @click="rows = rows.filter((_, n) => n !== k)"
            />
          </td>
        </tr>
        <tr v-if="!rows.length">
          <td></td>
          <td :colspan="columns.length + 2" class="muted">No rows yet: add one, or read a sheet (.csv or .xlsx).</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.frame {
  background: var(--panel);
  border: 1px solid var(--line);
  border-radius: 5px;
  overflow-x: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
  table-layout: fixed;
  min-width: 1080px;
}
th {
  text-align: left;
  font-weight: 600;
  font-size: 13px;
  padding: 7px 4px;
  border-bottom: 1px solid var(--line);
}
thead td {
  width: 34px;
  border-bottom: 1px solid var(--line);
}
th.number {
  width: 66px;
}
th.size,
th.target {
  width: 108px;
}
th.text {
  width: 108px;
}
th.order {
  width: 108px;
}
td {
  padding: 3px 4px;
}
td.number:first-child {
  text-align: right;
  font-size: 13px;
}
td :deep(.p-select),
td :deep(.p-inputtext) {
  width: 100%;
}
.will {
  font-size: 13px;
}
.will span {
  display: block;
}
.trouble {
  color: var(--oxide);
}
</style>
