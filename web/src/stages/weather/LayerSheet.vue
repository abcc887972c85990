<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Menu from 'primevue/menu'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, nextTick, ref, watch } from 'vue'
import type { Entry, Term } from '../../api/scene'
import FieldList from '../../controls/FieldList.vue'
import HistogramBars from '../../controls/HistogramBars.vue'
import KindGlyph from '../../controls/KindGlyph.vue'
import NumberField from '../../controls/NumberField.vue'
import { percent } from '../../controls/format'
import { useWork } from '../../stores/work'
import ChannelChips from './ChannelChips.vue'
import TermLine from './TermLine.vue'

/** The selected layer answers three questions: what happened, where, how much. */
const work = useWork()
const layer = computed(() => work.selected)
const effect = computed(() => (layer.value ? work.effects.get(layer.value.effect.kind) : undefined))
const outcome = computed(() => work.outcome.get(work.selectedId))
const STRENGTH = {
  title: 'Strength',
  unit: '%',
  soft: [0, 1] as [number, number],
  minimum: 0,
  maximum: 1,
  default: 1,
  control: 'slider' as const,
  description: 'The whole layer, weaker',
}

const renaming = ref(false)
const name = ref('')
const nameField = ref<{ $el: HTMLInputElement }>()
async function rename() {
  name.value = layer.value?.name ?? ''
  renaming.value = true
  await nextTick()
  nameField.value?.$el.select()
}
function renamed(keep: boolean) {
  if (!renaming.value) return
  renaming.value = false
  const text = name.value.trim().slice(0, 80)
  if (keep && text && layer.value && text !== layer.value.name)
    work.edit('Rename layer', () => (layer.value!.name = text))
}
watch(
  () => work.selectedId,
  () => (renaming.value = false),
)
defineExpose({ rename })

const menu = ref<InstanceType<typeof Menu>>()
const place = computed(() => work.scene?.layers.findIndex((l) => l.id === work.selectedId) ?? -1)
const actions = computed(() => [
  { label: 'Rename', icon: 'pi pi-pencil', command: rename },
  { label: 'Duplicate', icon: 'pi pi-clone', command: () => work.duplicateLayer(work.selectedId) },
  {
    label: 'Earlier',
    icon: 'pi pi-arrow-left',
    disabled: place.value <= 0,
    command: () => work.moveLayer(work.selectedId, place.value - 1),
  },
  {
    label: 'Later',
    icon: 'pi pi-arrow-right',
    disabled: place.value >= (work.scene?.layers.length ?? 0) - 1,
    command: () => work.moveLayer(work.selectedId, place.value + 1),
  },
  { separator: true },
  { label: 'Return settings to defaults', icon: 'pi pi-undo', command: resetAll },
  { label: 'Remove', icon: 'pi pi-trash', command: () => work.removeLayer(work.selectedId) },
])
function resetAll() {
  work.edit('Return to defaults', () => {
    if (layer.value && effect.value)
      layer.value.effect = { ...JSON.parse(JSON.stringify(effect.value.defaults)), kind: effect.value.kind }
  })
}

function dragEffect(field: string, value: unknown) {
  layer.value!.effect[field] = value
  work.preview()
}
const done = (title: string) => void work.commit(`${layer.value?.name}: ${title.toLowerCase()}`)

// ---- where ---------------------------------------------------------------------------------------------------------------
function dragTerm(k: number, where: 'source' | 'term', field: string, value: unknown) {
  const term = layer.value!.where.terms[k]
  if (where === 'source') term.source[field] = value
  else term[field] = value
  work.preview()
}
const adder = ref<InstanceType<typeof Menu>>()
const choices = computed(() => {
  const groups = new Map<string, Entry[]>()
  for (const source of work.catalogue?.sources ?? [])
    groups.set(source.group, [...(groups.get(source.group) ?? []), source])
  return [...groups].map(([label, items]) => ({
    label,
    items: items.map((s) => ({ label: s.title, command: () => addLine(s) })),
  }))
})
function addLine(source: Entry) {
  work.edit('Add line', () => {
    const terms = layer.value!.where.terms
    const line: Term = {
      source: { ...JSON.parse(JSON.stringify(source.defaults)), kind: source.kind },
      low: source.low, high: source.high, gamma: 1, invert: false, soften_mm: 0, out_low: 0, out_high: 1, combine: 'multiply', amount: 1, muted: false,
    } // prettier-ignore
    if (source.kind === 'noise') line.source.seed = terms.length + 1
    terms.push(line)
    work.selectedTerm = terms.length - 1
  })
}
function removeLine(k: number) {
  if (work.look.kind === 'term') work.look = { ...work.look, kind: 'lit' }
  work.edit('Remove line', () => layer.value!.where.terms.splice(k, 1))
  work.selectedTerm = -1
}
function moveLine(k: number, by: number) {
  work.edit('Move line', () => {
    const terms = layer.value!.where.terms
    terms.splice(k + by, 0, ...terms.splice(k, 1))
  })
  work.selectedTerm = k + by
}
function duplicateLine(k: number) {
  work.edit('Duplicate line', () => {
    const terms = layer.value!.where.terms
    terms.splice(k + 1, 0, JSON.parse(JSON.stringify(terms[k])))
  })
  work.selectedTerm = k + 1
}
function cut(on: boolean) {
  work.edit(
    on ? 'Cut by coverage' : 'No cut',
    () =>
      (layer.value!.where.cut = on
        ? {
            by: 'coverage',
            level: 0.5,
            coverage: Number(Math.max(0.02, work.evaluation?.where?.share ?? 0.1).toFixed(3)),
            width: 0.08,
          }
        : null),
  )
}
function dragCut(field: string, value: unknown) {
  layer.value!.where.cut![field] = value
  work.preview()
}
const hasAmount = computed(() => effect.value?.sets_coverage ?? false)
</script>

<template>
  <aside class="sheet" aria-label="Selected layer">
    <div v-if="!layer || !effect" class="empty">
      <h2>No layer is selected</h2>
      <p class="muted">Choose a card in the chronicle below, or add what happened next.</p>
    </div>
    <template v-else>
      <header>
        <KindGlyph :family="effect.family" />
        <InputText
          v-if="renaming"
          ref="nameField"
          v-model="name"
          size="small"
          maxlength="80"
          aria-label="Name of the layer"
          @blur="renamed(true)"
          @keydown.enter="renamed(true)"
          @keydown.esc.stop="renamed(false)"
        />
        <button v-else v-tooltip.bottom="'Rename'" type="button" class="title clip" @click="rename">
          {{ layer.name }}
        </button>
        <label class="muted" for="layer-on">{{ layer.on ? 'on' : 'off' }}</label>
        <ToggleSwitch
          input-id="layer-on"
          :model-value="layer.on"
          @update:model-value="(v) => work.switchLayer(layer!.id, v)"
        />
        <button type="button" class="icon-button" aria-label="More for this layer" @click="(e) => menu?.toggle(e)">
          <i class="pi pi-ellipsis-h" />
        </button>
        <Menu ref="menu" :model="actions" popup />
      </header>
      <div class="scroll">
        <p v-if="outcome?.note" class="note" role="status">
          <i class="pi pi-info-circle" />
          {{ outcome.note }}.
        </p>

        <section>
          <h3>
            What happened?
            <small class="muted">
              {{ effect.title === layer.name ? effect.family : `${effect.title}, ${effect.family}` }}
            </small>
          </h3>
          <FieldList
            :schema="effect.schema"
            :values="layer.effect"
            place=""
            @drag="dragEffect"
            @done="(_n, _v, title) => done(title)"
          />
        </section>

        <section>
          <h3>
            Where?
            <small class="muted">{{ outcome ? `covers ${percent(outcome.coverage)} of the surface` : 'off' }}</small>
          </h3>
          <p v-if="!layer.where.terms.length" class="muted">Everywhere. Add a line to say where.</p>
          <ul>
            <TermLine
              v-for="(term, k) in layer.where.terms"
              :key="k"
              :term="term"
              :index="k"
              :count="layer.where.terms.length"
              :open="work.selectedTerm === k"
              @toggle="work.selectedTerm = work.selectedTerm === k ? -1 : k"
              @drag="(where, field, value) => dragTerm(k, where, field, value)"
              @done="done"
              @remove="removeLine(k)"
              @move="(by) => moveLine(k, by)"
              @duplicate="duplicateLine(k)"
            />
          </ul>
          <div class="under">
            <button type="button" class="link" aria-haspopup="menu" @click="(e) => adder?.toggle(e)">
              Add a line…
            </button>
            <Menu ref="adder" :model="choices" popup class="adder" />
            <span class="fill" />
            <HistogramBars
              v-if="work.evaluation?.where && layer.on"
              v-tooltip.left="'The whole mask, black to white'"
              :bars="work.evaluation.where.histogram"
            />
          </div>
          <div class="cut">
            <label for="cut">Cut the mask hard</label>
            <ToggleSwitch input-id="cut" :model-value="!!layer.where.cut" @update:model-value="cut" />
          </div>
          <FieldList
            v-if="layer.where.cut && work.catalogue"
            :schema="work.catalogue.cut"
            :values="layer.where.cut"
            :only="layer.where.cut.by === 'coverage' ? ['by', 'coverage', 'width'] : ['by', 'level', 'width']"
            @drag="dragCut"
            @done="(_n, _v, title) => done(title)"
          />
        </section>

        <section>
          <h3>How much?</h3>
          <FieldList
            v-if="hasAmount"
            :schema="effect.schema"
            :values="layer.effect"
            place="amount"
            @drag="dragEffect"
            @done="(_n, _v, title) => done(title)"
          />
          <NumberField
            name="strength"
            :field="STRENGTH"
            :model-value="layer.strength"
            @drag="(v) => ((layer!.strength = v), work.preview())"
            @done="done('strength')"
          />
          <ChannelChips :layer="layer" :family="effect.family" />
        </section>
      </div>
    </template>
  </aside>
</template>

<style scoped>
.sheet {
  background: var(--panel);
  border-left: 1px solid var(--line);
  display: flex;
  flex-direction: column;
  min-height: 0;
}
header {
  display: flex;
  align-items: center;
  gap: 9px;
  height: 41px;
  padding: 0 10px 0 16px;
  border-bottom: 1px solid var(--line);
  flex: none;
}
.title {
  font-size: 16px;
  font-weight: 600;
  flex: 1;
  text-align: left;
}
header :deep(input.p-inputtext) {
  flex: 1;
  min-width: 0;
  font-weight: 600;
}
.scroll {
  overflow-y: auto;
  flex: 1;
  scrollbar-gutter: stable;
}
section {
  padding: 9px 10px 11px 16px;
  border-bottom: 1px solid var(--line);
}
section:last-child {
  border: 0;
}
h3 {
  font-size: 14px;
  font-weight: 600;
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding-bottom: 4px;
}
h3 small {
  font-size: 12.5px;
  font-weight: 400;
}
.note {
  margin: 8px 16px 0;
  padding: 6px 10px;
  border-radius: 4px;
  border: 1px solid color-mix(in srgb, var(--oxide) 45%, var(--line));
  color: var(--oxide);
}
.under,
.cut {
  display: flex;
  align-items: center;
  gap: 8px;
  min-height: 28px;
}
.under .fill {
  flex: 1;
}
.cut {
  justify-content: space-between;
}
.empty {
  padding: 32px 24px;
  display: grid;
  gap: 6px;
}
.empty h2 {
  font-size: 15px;
}
</style>
<style>
.adder.p-menu {
  max-height: 420px;
  overflow-y: auto;
}
</style>
