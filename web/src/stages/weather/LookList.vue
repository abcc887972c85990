<script setup lang="ts">
import InputNumber from 'primevue/inputnumber'
import { computed, ref, watch } from 'vue'
import type { Look } from '../../api/scene'
import { percent } from '../../figures/format'
import { useWork } from '../../stores/work'
import LookRow from './LookRow.vue'

const work = useWork()
const emit = defineEmits<{ add: [reading: string, size: number] }>()
const sizes = ref<Record<string, number>>({})

/** Channels in use come with each full evaluation; until the first one, the usual. */
const channelsInUse = ref<Record<string, string>>({
  base_color: 'Base color',
  roughness: 'Roughness',
  metalness: 'Metalness',
  relief: 'Relief',
  normal: 'Normal',
  ambient_occlusion: 'Ambient occlusion',
})
watch(
  () => work.evaluation?.channels,
  (found) => {
    if (found && Object.keys(found).length) channelsInUse.value = found
  },
  { immediate: true },
)

interface Row {
  key: string
  title: string
  picture?: string
  look: Partial<Look>
  note?: string
  size?: { kind: string; value: number }
  hint?: string
}
const is = (row: Row) => {
  const now = work.look
  const want = row.look
  return (
    now.kind === want.kind &&
    now.name === (want.name ?? '') &&
    now.index === (want.index ?? 0) &&
    now.layer === (want.layer ?? '')
  )
}
const rowOf = (name: string, title: string): Row => ({
  key: name,
  title,
  picture: work.evaluation?.pictures[`channel:${name}`],
  look: { kind: 'channel', name },
  note: name === 'relief' ? 'mm' : undefined,
})
/** What one needs first, in this order; everything further stands in its family. */
const FIRST = ['base_color', 'roughness', 'metalness', 'relief', 'normal', 'ambient_occlusion']
const channels = computed<Row[]>(() =>
  FIRST.filter((name) => channelsInUse.value[name]).map((name) => rowOf(name, channelsInUse.value[name])),
)
interface Family {
  voice: string
  title: string
  rows: Row[]
  open: boolean
}
const opened = ref<Record<string, boolean>>({})
/** Further channels in use by the family they belong to; one that is looked through is open by itself. */
const families = computed<Family[]>(() => {
  const voiceOf = new Map((work.catalogue?.channel_list ?? []).map((c) => [c.name, c.voice]))
  const out = new Map<string, Row[]>()
  for (const [name, title] of Object.entries(channelsInUse.value)) {
    if (FIRST.includes(name)) continue
    const voice = voiceOf.get(name) ?? name
    out.set(voice, [...(out.get(voice) ?? []), rowOf(name, title)])
  }
  return [...out].map(([voice, rows]) => ({
    voice,
    rows,
    title: work.catalogue?.channels[voice] ?? rows[0].title,
    open: rows.some(is) || !!opened.value[voice],
  }))
})
function fold(family: Family) {
  opened.value = { ...opened.value, [family.voice]: !family.open }
}
const readings = computed<Row[]>(() =>
  (work.catalogue?.readings ?? [])
    .filter((r) => !work.object?.missing_readings[r.kind])
    .map((r) => {
      const value = sizes.value[r.kind] ?? r.default_size_mm
      return {
        key: r.kind,
        title: r.title,
        picture: work.evaluation?.pictures[`reading:${r.kind}`],
        look: { kind: 'reading', name: r.kind, size_mm: r.size ? value : 0 },
        size: r.size ? { kind: r.kind, value } : undefined,
        note: r.size ? undefined : r.unit,
        hint: r.about,
      }
    }),
)
const coats = computed<Row[]>(() =>
  (work.evaluation?.coats ?? [])
    .map((c, k) => ({
      key: `${c.id}${k}`,
      title: c.name,
      picture: c.picture,
      look: { kind: 'coat' as const, index: k },
      note: percent(c.share),
      hint: 'White where it shows today',
    }))
    .reverse(),
)
const facing: Row = {
  key: 'facing',
  title: 'Facing the camera',
  look: { kind: 'facing' },
  hint: 'White where it is seen straight on, black where it is seen edge on: from where you look just now',
}
const groups = computed(() => [
  { title: 'Channels', rows: channels.value, families: families.value },
  { title: 'Readings', rows: [...readings.value, facing], families: [] },
  { title: 'Coats that show', rows: coats.value, families: [] },
])
/** Readings that a line of a recipe can read. */
const usable = computed(() => new Set((work.catalogue?.sources ?? []).map((s) => s.reading).filter(Boolean)))
const draggable = (row: Row) => row.look.kind === 'reading' && usable.value.has(row.key)
function dragStart(event: DragEvent, row: Row) {
  if (!event.dataTransfer) return
  event.dataTransfer.effectAllowed = 'copy'
  event.dataTransfer.setData(
    'application/x-limus-reading',
    JSON.stringify({ name: row.key, size: row.size?.value ?? 0, component: row.look.component }),
  )
}
function resize(row: Row, value: number | null) {
  if (!row.size || !value) return
  sizes.value = { ...sizes.value, [row.size.kind]: value }
  if (is(row)) work.show({ ...row.look, size_mm: value })
}
</script>

<template>
  <nav class="side-list" aria-label="Look-through">
    <h2 class="muted">Surface</h2>
    <LookRow
      title="Lit"
      name="lit"
      :picture="work.evaluation?.pictures.lit"
      :on="work.look.kind === 'lit'"
      @pick="work.show({ kind: 'lit' })"
    >
      <kbd>L</kbd>
    </LookRow>
    <LookRow
      :title="`Mask${work.selected ? ` of ${work.selected.name}` : ''}`"
      name="mask"
      hint="Black and white: where the selected layer may be"
      :picture="work.evaluation?.where?.picture"
      :on="work.look.kind === 'mask'"
      :disabled="!work.selected?.on"
      @pick="work.show({ kind: 'mask', layer: work.selectedId })"
    >
      <kbd>M</kbd>
    </LookRow>
    <LookRow
      v-if="work.selected"
      title="Where it acted"
      :picture="work.evaluation?.where?.acted"
      name="acted"
      hint="White where it showed when it happened: what its mask allowed, and the effect made of it"
      :on="work.look.kind === 'acted'"
      :disabled="!work.selected.on"
      @pick="work.show({ kind: 'acted', layer: work.selectedId })"
    >
      <kbd>M</kbd>
    </LookRow>
    <template v-for="group in groups" :key="group.title">
      <h2 class="muted">{{ group.title }}</h2>
      <LookRow
        v-for="row in group.rows"
        :key="row.key"
        :title="row.title"
        :name="row.key"
        :picture="row.picture"
        :hint="row.hint"
        :on="is(row)"
        :draggable="draggable(row)"
        @pick="work.show(row === facing ? { ...row.look, eye: work.sight.eye() } : row.look)"
        @dragstart="(e: DragEvent) => dragStart(e, row)"
      >
        <button
          v-if="draggable(row) && work.selected"
          v-tooltip.right="`Add to the recipe of ${work.selected.name} (or drag the row there)`"
          type="button"
          class="add"
          :aria-label="`Add ${row.title} to the recipe`"
          @click="emit('add', row.key, row.size?.value ?? 0)"
        >
          <i class="pi pi-plus" />
        </button>
        <InputNumber
          v-if="row.size"
          class="size"
          size="small"
          :model-value="row.size.value"
          :min="0.01"
          :max="100000"
          :max-fraction-digits="2"
          :use-grouping="false"
          suffix=" mm"
          :aria-label="`${row.title}: size`"
          @update:model-value="(v) => resize(row, v)"
        />
        <span v-else-if="row.note" class="muted note">{{ row.note }}</span>
      </LookRow>
      <template v-for="family in group.families" :key="family.voice">
        <button
          v-if="family.rows.length > 1"
          type="button"
          class="row family"
          :aria-expanded="family.open"
          :data-family="family.voice"
          @click="fold(family)"
        >
          <i class="fold pi" :class="family.open ? 'pi-chevron-down' : 'pi-chevron-right'" />
          <span class="clip">{{ family.title }}</span>
          <span class="muted note">{{ family.rows.length }}</span>
        </button>
        <template v-if="family.open || family.rows.length === 1">
          <LookRow
            v-for="row in family.rows"
            :key="row.key"
            :class="{ inner: family.rows.length > 1 }"
            :title="row.title"
            :name="row.key"
            :picture="row.picture"
            :on="is(row)"
            @pick="work.show(row.look)"
          />
        </template>
      </template>
    </template>
  </nav>
</template>

<style scoped>
.fold {
  width: 24px;
  text-align: center;
  font-size: 11px;
  color: var(--muted);
}
.inner {
  padding-left: 26px !important;
}
:deep(.row[draggable='true']) {
  cursor: grab;
}
.add {
  width: 0;
  margin-left: -9px;
  height: 20px;
  overflow: hidden;
  flex: none;
  border-radius: 4px;
  color: var(--verdigris);
  font-size: 11px;
}
:deep(.row:hover) .add,
.add:focus-visible {
  width: 20px;
  margin-left: 0;
}
.note {
  margin-left: auto;
  white-space: nowrap;
}
.size {
  width: 58px;
  margin-left: auto;
}
.size :deep(input) {
  width: 100%;
  padding: 1px 3px;
  text-align: right;
  border-color: transparent;
  box-shadow: none;
  background: transparent;
  color: var(--muted);
}
.size :deep(input:hover),
.size :deep(input:focus) {
  border-color: var(--line);
  background: var(--field);
  color: var(--ink);
}
</style>
