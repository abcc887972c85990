<script setup lang="ts">
import InputNumber from 'primevue/inputnumber'
import { computed, ref, watch } from 'vue'
import { pictureUrl } from '../../api/pictures'
import type { Look } from '../../api/scene'
import { percent } from '../../controls/format'
import { useWork } from '../../stores/work'

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
const channels = computed<Row[]>(() =>
  Object.entries(channelsInUse.value).map(([name, title]) => ({
    key: name,
    title,
    picture: work.evaluation?.pictures[`channel:${name}`],
    look: { kind: 'channel', name },
    note: name === 'relief' ? 'mm' : undefined,
  })),
)
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
const groups = computed(() => [
  { title: 'Channels', rows: channels.value },
  { title: 'Readings', rows: readings.value },
  { title: 'Coats that show', rows: coats.value },
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
    <button
      type="button"
      class="row"
      :class="{ on: work.look.kind === 'lit' }"
      :aria-current="work.look.kind === 'lit'"
      @click="work.show({ kind: 'lit' })"
    >
      <img v-if="work.evaluation?.pictures.lit" :src="pictureUrl(work.evaluation.pictures.lit)" alt="" />
      <i v-else class="blank" />
      <span class="name">Lit</span>
      <kbd>L</kbd>
    </button>
    <button
      v-tooltip.right="'Black and white: where the selected layer is'"
      type="button"
      class="row"
      :class="{ on: work.look.kind === 'mask' }"
      :aria-current="work.look.kind === 'mask'"
      :disabled="!work.selected?.on"
      @click="work.show({ kind: 'mask', layer: work.selectedId })"
    >
      <img v-if="work.evaluation?.where?.picture" :src="pictureUrl(work.evaluation.where.picture)" alt="" />
      <i v-else class="blank" />
      <span class="clip">Mask{{ work.selected ? ` of ${work.selected.name}` : '' }}</span>
      <kbd>M</kbd>
    </button>
    <template v-for="group in groups" :key="group.title">
      <h2 class="muted">{{ group.title }}</h2>
      <div
        v-for="row in group.rows"
        :key="row.key"
        class="row"
        :class="{ on: is(row) }"
        :draggable="draggable(row)"
        @dragstart="(e) => dragStart(e, row)"
      >
        <button
          v-tooltip.right="row.hint"
          type="button"
          class="pick"
          :aria-current="is(row)"
          :data-look="row.key"
          @click="work.show(row.look)"
        >
          <img v-if="row.picture" :src="pictureUrl(row.picture)" alt="" />
          <i v-else class="blank" />
          <span class="clip">{{ row.title }}</span>
        </button>
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
      </div>
    </template>
  </nav>
</template>

<style scoped>
.pick {
  display: flex;
  flex: 1;
  min-width: 0;
  align-items: center;
  gap: 9px;
  text-align: left;
  min-height: 27px;
}
.row[draggable='true'] {
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
.row:hover .add,
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
