<script setup lang="ts">
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref, toRaw, watch } from 'vue'
import { defaultsOf, type Cut, type Entry, type Recipe, type Term } from '../api/scene'
import { pictureUrl } from '../api/pictures'
import FieldList from '../controls/FieldList.vue'
import HistogramBars from '../controls/HistogramBars.vue'
import { percent } from '../figures/format'
import { VueDraggable } from 'vue-draggable-plus'
import { DRAWN, drawnOf, useHand } from '../stores/hand'
import { useWork } from '../stores/work'
import SourcePicker from './SourcePicker.vue'
import TermLine from './TermLine.vue'

/** Where something is: a recipe read from top to bottom. Of a layer, or of an episode. */
const props = defineProps<{
  recipe: Recipe
  place: string
  name: string
  said: string
  on: boolean
  byHand?: boolean
  /** Which sources can be used here. */
  fits?: (source: Entry) => boolean
}>()
const work = useWork()
const hand = useHand()
/** `place`: whose recipe, as commands call it. */
const mine = computed(() => props.recipe)
const done = (title: string) => void work.commit(`${props.name}: ${title.toLowerCase()}`)

function dragTerm(k: number, where: 'source' | 'term', field: string, value: unknown) {
  const term = mine.value.terms[k]
  if (where === 'source') term.source[field] = value
  else term[field] = value
  work.preview()
}
const adder = ref<InstanceType<typeof SourcePicker>>()
function addLine(source: Entry, fields: Record<string, unknown> = {}) {
  void work.addLine(props.place, source.kind, fields)
  const drawn = drawnOf(source, { ...source.defaults, ...fields })
  if (drawn) hand.take(DRAWN[drawn].tool)
}
/**
 * A reading that was dropped here, or sent here by its button: the source that shows it best, with the same radius or
 * reach.
 */
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
  void work.addReading(props.place, name, size, component)
}
/** Dragging a line by its picture puts it in another place. */
const order = ref<{ term: Term; id: number }[]>([])
let numbers = 0
const known = new WeakMap<object, number>()
watch(
  () => [work.focus, ...mine.value.terms],
  () => {
    order.value = mine.value.terms.map((term) => {
      const raw = toRaw(term)
      if (!known.has(raw)) known.set(raw, numbers++)
      return { term, id: known.get(raw)! }
    })
  },
  { immediate: true },
)
function reordered() {
  const now = mine.value.terms
  const terms = order.value.map((o) => toRaw(o.term))
  const moved = now.findIndex((t, k) => {
    const rest = (list: unknown[]) => list.filter((x) => x !== toRaw(t))
    return terms.indexOf(toRaw(t)) !== k && rest(terms).every((x, j) => x === rest(now.map(toRaw))[j])
  })
  if (moved >= 0) void work.moveLine(props.place, moved, terms.indexOf(toRaw(now[moved])))
}
const wholeThrough = computed(() => work.look.kind === 'mask' && work.look.layer === work.focus)
function removeLine(k: number) {
  if (work.look.kind === 'term') work.look = { ...work.look, kind: 'lit' }
  void work.removeLine(props.place, k)
}
const moveLine = (k: number, by: number) => work.moveLine(props.place, k, k + by)
const duplicateLine = (k: number) => work.duplicateLine(props.place, k)
function cut(on: boolean) {
  work.edit(
    on ? 'Cut by coverage' : 'No cut',
    () =>
      (mine.value.cut = on
        ? {
            ...(defaultsOf(work.catalogue!.cut) as Cut),
            coverage: Number(Math.max(0.02, work.evaluation?.where?.share ?? 0.1).toFixed(3)),
          }
        : null),
  )
}
function dragCut(field: string, value: unknown) {
  mine.value.cut![field] = value
  work.preview()
}
defineExpose({ addReading })
</script>

<template>
  <section
    class="sheet-part where"
    :class="{ over }"
    data-testid="where"
    @dragover="dragOver"
    @dragleave="over = false"
    @drop="drop"
  >
    <h3>
      Where?
      <small class="muted">{{ said }}</small>
    </h3>
    <p v-if="!recipe.terms.length" class="muted">Everywhere. Add a line to say where.</p>
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
        :place="place"
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
    <div v-if="recipe.terms.length && work.evaluation?.where && on" class="whole">
      <button
        v-tooltip.left="wholeThrough ? 'Back to the surface' : 'Look through the whole mask'"
        type="button"
        class="thumb"
        :class="{ through: wholeThrough }"
        :aria-pressed="wholeThrough"
        aria-label="Look through the whole mask"
        @click="work.show(wholeThrough ? { kind: 'lit' } : { kind: 'mask', layer: work.focus })"
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
      <button type="button" class="link" aria-haspopup="menu" @click="(e) => adder?.toggle(e)">Add a line…</button>
      <SourcePicker ref="adder" :fits="fits" @choose="(source) => addLine(source)" />
      <span class="fill" />
      <button
        v-if="byHand"
        type="button"
        class="press"
        :aria-pressed="hand.tool === 'paint' && hand.target === 'mask'"
        @click="hand.tool === 'paint' ? hand.put() : hand.take('paint')"
      >
        <i class="pi pi-pencil" />
        Paint
      </button>
      <button
        v-if="byHand"
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
      <ToggleSwitch input-id="cut" :model-value="!!recipe.cut" @update:model-value="cut" />
    </div>
    <FieldList
      v-if="recipe.cut && work.catalogue"
      :schema="work.catalogue.cut"
      :values="recipe.cut"
      :only="recipe.cut.by === 'coverage' ? ['by', 'coverage', 'width'] : ['by', 'level', 'width']"
      @drag="dragCut"
      @done="(_n, _v, title) => done(title)"
    />
  </section>
</template>

<style scoped>
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
</style>
