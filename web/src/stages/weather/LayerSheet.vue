<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Menu from 'primevue/menu'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, nextTick, ref, toRaw, watch } from 'vue'
import type { Entry, Term } from '../../api/scene'
import { pictureUrl } from '../../api/client'
import FieldList from '../../controls/FieldList.vue'
import HistogramBars from '../../controls/HistogramBars.vue'
import KindGlyph from '../../controls/KindGlyph.vue'
import NumberField from '../../controls/NumberField.vue'
import { percent } from '../../controls/format'
import { VueDraggable } from 'vue-draggable-plus'
import { useHand } from '../../stores/hand'
import { useWork } from '../../stores/work'
import ChannelChips from './ChannelChips.vue'
import SourcePicker from './SourcePicker.vue'
import TermLine from './TermLine.vue'

/** The selected layer answers three questions: what happened, where, how much. */
const work = useWork()
const hand = useHand()
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
defineExpose({
  rename,
  addReading: (name: string, size: number, component?: string) => addReading(name, size, component),
})

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
  work.syncLinks(term)
  work.preview()
}
const adder = ref<InstanceType<typeof SourcePicker>>()
function addLine(source: Entry, fields: Record<string, unknown> = {}) {
  work.edit('Add line', () => {
    const terms = layer.value!.where.terms
    const line = work.freshTerm(source.kind, fields)
    if ('seed' in line.source) line.source.seed = terms.length + 1
    if (source.over) line.combine = 'over'
    terms.push(line)
    work.selectedTerm = terms.length - 1
  })
  if (source.kind === 'strokes') hand.take('paint')
  else if (source.kind === 'picks') hand.take('fill')
}
/** A reading that was dropped here, or sent here by its button: the source that shows it best, with the same radius or reach. */
const READING = 'application/x-limus-reading'
const over = ref(false)
function dragOver(event: DragEvent) {
  if (!event.dataTransfer?.types.includes(READING)) return
  event.preventDefault()
  event.dataTransfer.dropEffect = 'copy'
  over.value = true
}
function drop(event: DragEvent) {
  over.value = false
  const text = event.dataTransfer?.getData(READING)
  if (!text) return
  event.preventDefault()
  const { name, size, component } = JSON.parse(text) as { name: string; size: number; component?: string }
  addReading(name, size, component)
}
function addReading(name: string, size: number, component = '') {
  const source = work.catalogue?.sources.find((s) => s.reading === name)
  if (!layer.value || !source) {
    work.notice = layer.value
      ? 'This reading is for looking only: no line of a recipe reads it.'
      : 'Choose a layer first, then add the reading to its recipe.'
    return
  }
  const fields: Record<string, unknown> = {}
  if (source.reading_size && size) fields[source.reading_size] = size
  if (name === 'proximity' && size) fields.reach_cm = size / 10
  if (component && name === 'vertex_colour') fields.channel = component
  addLine(source, fields)
}
/** Dragging a line by its picture puts it in another place. */
const order = ref<{ term: Term; id: number }[]>([])
let numbers = 0
const known = new WeakMap<object, number>()
watch(
  () => [layer.value?.id, ...(layer.value?.where.terms ?? [])],
  () => {
    order.value = (layer.value?.where.terms ?? []).map((term) => {
      const raw = toRaw(term)
      if (!known.has(raw)) known.set(raw, numbers++)
      return { term, id: known.get(raw)! }
    })
  },
  { immediate: true },
)
function reordered() {
  const terms = order.value.map((o) => o.term)
  const open = layer.value!.where.terms[work.selectedTerm]
  if (terms.every((t, k) => t === layer.value!.where.terms[k])) return
  work.edit('Move line', () => {
    layer.value!.where.terms = terms
    work.selectedTerm = open ? terms.indexOf(open) : -1
  })
}
const wholeThrough = computed(() => work.look.kind === 'mask' && work.look.layer === work.selectedId)
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
    terms.splice(k + 1, 0, { ...JSON.parse(JSON.stringify(terms[k])), link: '' })
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

        <section
          class="where"
          :class="{ over }"
          data-testid="where"
          @dragover="dragOver"
          @dragleave="over = false"
          @drop="drop"
        >
          <h3>
            Where?
            <small class="muted">{{ outcome ? `covers ${percent(outcome.coverage)} of the surface` : 'off' }}</small>
          </h3>
          <p v-if="!layer.where.terms.length" class="muted">Everywhere. Add a line to say where.</p>
          <VueDraggable
            v-model="order"
            tag="ul"
            handle=".thumb"
            :force-fallback="true"
            :fallback-tolerance="4"
            :animation="120"
            @end="reordered"
          >
            <TermLine
              v-for="(entry, k) in order"
              :key="entry.id"
              :term="entry.term"
              :index="k"
              :count="order.length"
              :open="work.selectedTerm === k"
              @toggle="work.selectedTerm = work.selectedTerm === k ? -1 : k"
              @drag="(where, field, value) => dragTerm(k, where, field, value)"
              @done="done"
              @remove="removeLine(k)"
              @move="(by) => moveLine(k, by)"
              @duplicate="duplicateLine(k)"
            />
          </VueDraggable>
          <div v-if="layer.where.terms.length && work.evaluation?.where && layer.on" class="whole">
            <button
              v-tooltip.left="wholeThrough ? 'Back to the surface' : 'Look through the whole mask'"
              type="button"
              class="thumb"
              :class="{ through: wholeThrough }"
              :aria-pressed="wholeThrough"
              aria-label="Look through the whole mask"
              @click="work.show(wholeThrough ? { kind: 'lit' } : { kind: 'mask', layer: work.selectedId })"
            >
              <img v-if="work.evaluation.where.picture" :src="pictureUrl(work.evaluation.where.picture)" alt="" />
            </button>
            <span>
              All together
              <b>{{ percent(work.evaluation.where.share) }}</b>
            </span>
            <HistogramBars v-tooltip.left="'The whole mask, black to white'" :bars="work.evaluation.where.histogram" />
          </div>
          <div class="under">
            <button type="button" class="link" aria-haspopup="menu" @click="(e) => adder?.toggle(e)">
              Add a line…
            </button>
            <SourcePicker ref="adder" @choose="(source) => addLine(source)" />
            <span class="fill" />
            <button
              type="button"
              class="press"
              :aria-pressed="hand.tool === 'paint' && hand.target === 'mask'"
              @click="hand.tool === 'paint' ? hand.put() : hand.take('paint')"
            >
              <i class="pi pi-pencil" />
              Paint
            </button>
            <button
              type="button"
              class="press"
              :aria-pressed="hand.tool === 'fill'"
              @click="hand.tool === 'fill' ? hand.put() : hand.take('fill')"
            >
              <i class="pi pi-stop" />
              Fill
            </button>
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
.where.over {
  background: var(--tint);
  box-shadow: inset 0 0 0 1.5px var(--verdigris);
}
.whole {
  display: grid;
  grid-template-columns: 36px 1fr 54px;
  gap: 10px;
  align-items: center;
  border-top: 1px solid var(--line);
  padding: 4px 0;
  margin-top: 2px;
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
