<script setup lang="ts">
import Checkbox from 'primevue/checkbox'
import SelectButton from 'primevue/selectbutton'
import { computed, ref } from 'vue'
import { useWork } from '../../stores/work'

/** Masks that go along with a delivery: where layers may be, where they acted, single lines, and coats that show. */
const chosen = defineModel<string[]>('chosen', { required: true })
const packed = defineModel<boolean>('packed', { required: true })
/** So many go into the target's own file, one to a component; 0: they have files of their own. */
const props = defineProps<{ within?: number }>()
const work = useWork()
const open = ref<Record<string, boolean>>({})

interface Row {
  id: string
  name: string
  more: { value: string; label: string }[]
}
/** Those that happen, by the core's account; until it has said so, those that are on. */
const layers = computed(() =>
  (work.scene?.layers ?? []).filter((layer) => (work.evaluation ? work.outcome.has(layer.id) : layer.on)),
)
const rows = computed<Row[]>(() =>
  layers.value.map((layer) => {
    const effect = work.effects.get(layer.effect.kind)
    const sources = new Map((work.catalogue?.sources ?? []).map((source) => [source.kind, source.title]))
    const lines = layer.where.terms.map((term, k) => ({
      value: `${layer.id}:${k + 1}`,
      label: `Line ${k + 1}: ${(sources.get(term.source.kind) ?? term.source.kind).toLowerCase()}`,
    }))
    const pieces = Object.entries(effect?.pieces ?? {}).map(([piece, title]) => ({
      value: `${layer.id}:coat/${piece}`,
      label: `Coat: ${String(title).toLowerCase()}`,
    }))
    const coat = effect?.family === 'loss' ? [] : [{ value: `${layer.id}:coat`, label: 'What shows of it today' }]
    return { id: layer.id, name: layer.name, more: [...lines, ...coat, ...pieces] }
  }),
)
/** What was ticked and is gone by now is not asked for. */
const there = computed(
  () => new Set(rows.value.flatMap((row) => [row.id, `${row.id}:acted`, ...row.more.map((one) => one.value)])),
)
const count = computed(() => chosen.value.filter((one) => there.value.has(one)).length)
const ways = [
  { label: 'A file each', value: false },
  { label: 'Four in R, G, B, A', value: true },
]
function tick(value: string, on: boolean) {
  const rest = chosen.value.filter((one) => one !== value && there.value.has(one))
  chosen.value = on ? [...rest, value] : rest
}
</script>

<template>
  <section data-testid="masks">
    <h2>Masks to take along</h2>
    <p v-if="!rows.length" class="muted">There is no layer yet that has a mask.</p>
    <div v-else class="table" role="group" aria-label="Masks to take along">
      <div class="head muted" aria-hidden="true">
        <span>Layer</span>
        <span v-tooltip.left="'Where its recipe lets it be'">may be</span>
        <span v-tooltip.left="'Where it did something'">acted</span>
      </div>
      <template v-for="row in rows" :key="row.id">
        <div class="line" :data-layer="row.id">
          <button
            type="button"
            class="name clip"
            :aria-expanded="!!open[row.id]"
            :title="row.name"
            @click="open = { ...open, [row.id]: !open[row.id] }"
          >
            <i class="pi" :class="open[row.id] ? 'pi-chevron-down' : 'pi-chevron-right'" />
            {{ row.name }}
          </button>
          <span>
            <Checkbox
              binary
              size="small"
              :aria-label="`${row.name}: where it may be`"
              :model-value="chosen.includes(row.id)"
              @update:model-value="(on: boolean) => tick(row.id, on)"
            />
          </span>
          <span>
            <Checkbox
              binary
              size="small"
              :aria-label="`${row.name}: where it acted`"
              :model-value="chosen.includes(`${row.id}:acted`)"
              @update:model-value="(on: boolean) => tick(`${row.id}:acted`, on)"
            />
          </span>
        </div>
        <template v-if="open[row.id]">
          <label v-for="one in row.more" :key="one.value" class="more">
            <Checkbox
              binary
              size="small"
              :aria-label="`${row.name}: ${one.label}`"
              :model-value="chosen.includes(one.value)"
              @update:model-value="(on: boolean) => tick(one.value, on)"
            />
            <span class="clip" :title="one.label">{{ one.label }}</span>
          </label>
        </template>
      </template>
    </div>
    <SelectButton
      v-if="count > 1 && !props.within"
      v-model="packed"
      :options="ways"
      option-label="label"
      option-value="value"
      :allow-empty="false"
      size="small"
      aria-label="How masks are packed"
    />
    <p v-if="count && props.within" class="muted">
      {{
        chosen
          .filter((one) => there.has(one))
          .slice(0, props.within)
          .map((one, k) => `${['Red', 'Green', 'Blue', 'Alpha'][k]}: ${one}`)
          .join('; ')
      }}.
    </p>
    <p v-else-if="count" class="muted">Linear, black where not; masks.json says which is where.</p>
  </section>
</template>

<style scoped>
section {
  padding: 12px 16px 14px;
  border-bottom: 1px solid var(--line);
  display: grid;
  gap: 8px;
}
h2 {
  font-size: 14px;
  font-weight: 600;
}
.table {
  max-height: 232px;
  overflow-y: auto;
}
.head,
.line {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 52px 44px;
  align-items: center;
  min-height: 26px;
}
.head {
  position: sticky;
  top: 0;
  background: var(--panel);
  z-index: 1;
}
.head span + span {
  text-align: center;
}
.line span {
  display: flex;
  justify-content: center;
}
.name {
  text-align: left;
  font-weight: 400;
}
.name i {
  width: 18px;
  font-size: 11px;
  color: var(--muted);
}
.more {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 24px;
  padding-left: 18px;
}
</style>
