<script setup lang="ts">
import { computed } from 'vue'
import { pictureUrl } from '../../api/client'
import { fieldsOf, type FieldSchema, type Term } from '../../api/scene'
import FieldList from '../../controls/FieldList.vue'
import HistogramBars from '../../controls/HistogramBars.vue'
import { withUnit } from '../../controls/format'
import { useWork } from '../../stores/work'

/** One line of a recipe, read as part of a sentence; opened, it shows its source and its shaping. */
const props = defineProps<{ term: Term; index: number; count: number; open: boolean }>()
const emit = defineEmits<{
  toggle: []
  drag: [where: 'source' | 'term', name: string, value: unknown]
  done: [label: string]
  remove: []
  move: [by: number]
  duplicate: []
}>()
const work = useWork()

const entry = computed(() => work.sources.get(props.term.source.kind))
const fields = computed(() => new Map(fieldsOf(entry.value?.schema ?? {})))
const result = computed(() => work.evaluation?.where?.terms[props.index])
const through = computed(
  () => work.look.kind === 'term' && work.look.layer === work.selectedId && work.look.index === props.index,
)

/** The sentence in pieces; values are set off. */
const sentence = computed(() =>
  (entry.value?.sentence ?? props.term.source.kind)
    .split(/\{(\w+)\}/)
    .map((piece, k) => ({ value: k % 2 === 1, text: k % 2 === 1 ? valueText(piece) : piece })),
)
function valueText(name: string): string {
  const value = props.term.source[name]
  const field: FieldSchema = fields.value.get(name) ?? {}
  if (typeof value === 'number') return withUnit(value, field)
  if (Array.isArray(value))
    return value.length === 0
      ? 'no part yet'
      : value.length <= 2
        ? value.join(' and ')
        : `${value[0]} and ${value.length - 1} more parts`
  return field.names?.[String(value)] ?? work.scene?.layers.find((l) => l.id === value)?.name ?? String(value)
}
const lead = computed(() => {
  if (props.term.muted) return 'muted: '
  const not = props.term.invert ? 'not ' : ''
  if (props.index === 0) return not
  const pattern = entry.value?.group === 'Patterns'
  const words: Record<string, string> = {
    multiply: pattern ? 'broken up by ' : '',
    add: 'plus ',
    subtract: 'without ',
    darken: 'and only ',
    lighten: 'or ',
    screen: 'or ',
    overlay: 'overlaid by ',
    difference: 'differing from ',
  }
  return (words[props.term.combine] ?? '') + not
})
const shaping = computed(() => {
  const t = props.term
  const how =
    props.index > 0 || t.combine === 'subtract'
      ? `${t.combine}, ${Math.round(t.amount * 100)} %`
      : t.amount < 1
        ? `${Math.round(t.amount * 100)} %`
        : ''
  const range = t.low !== 0 || t.high !== 1 ? `range ${t.low} – ${t.high}` : ''
  const soft = t.soften_mm > 0 ? `softened ${t.soften_mm} mm` : ''
  return [range, how, soft].filter(Boolean).join(' · ') || 'as it is'
})
const shapingNames = computed(() => {
  const names = ['low', 'high', 'gamma', 'soften_mm', 'out_low', 'out_high', 'invert']
  return props.index === 0 ? [...names, 'amount'] : ['combine', 'amount', ...names]
})
function look() {
  if (through.value) work.show({ kind: 'lit' })
  else work.show({ kind: 'term', layer: work.selectedId, index: props.index })
}
</script>

<template>
  <li class="term" :class="{ open, muted: term.muted }">
    <div class="head">
      <button
        v-tooltip.left="through ? 'Back to the surface' : 'Look through this line'"
        type="button"
        class="thumb"
        :class="{ through }"
        :aria-pressed="through"
        aria-label="Look through this line"
        @click="look"
      >
        <img v-if="result?.picture" :src="pictureUrl(result.picture)" alt="" />
      </button>
      <button type="button" class="words" :aria-expanded="open" @click="emit('toggle')">
        <span class="sentence">
          {{ lead }}
          <template v-for="(piece, k) in sentence" :key="k">
            <b v-if="piece.value">{{ piece.text }}</b>
            <template v-else>{{ piece.text }}</template>
          </template>
        </span>
        <span class="muted clip">{{ shaping }}</span>
      </button>
      <HistogramBars v-if="result" :bars="result.histogram" />
    </div>
    <div v-if="open" class="body">
      <div class="tools">
        <button
          v-tooltip.top="'Black and white change places'"
          type="button"
          class="tool"
          :aria-pressed="term.invert"
          @click="(emit('drag', 'term', 'invert', !term.invert), emit('done', 'Invert line'))"
        >
          Invert
        </button>
        <button
          v-tooltip.top="'Keep the line but let it do nothing'"
          type="button"
          class="tool"
          :aria-pressed="term.muted"
          @click="(emit('drag', 'term', 'muted', !term.muted), emit('done', 'Mute line'))"
        >
          Mute
        </button>
        <span class="fill" />
        <button
          v-tooltip.top="'Earlier'"
          type="button"
          class="icon-button"
          aria-label="Move line up"
          :disabled="index === 0"
          @click="emit('move', -1)"
        >
          <i class="pi pi-arrow-up" />
        </button>
        <button
          v-tooltip.top="'Later'"
          type="button"
          class="icon-button"
          aria-label="Move line down"
          :disabled="index === count - 1"
          @click="emit('move', 1)"
        >
          <i class="pi pi-arrow-down" />
        </button>
        <button
          v-tooltip.top="'Duplicate line'"
          type="button"
          class="icon-button"
          aria-label="Duplicate line"
          @click="emit('duplicate')"
        >
          <i class="pi pi-clone" />
        </button>
        <button
          v-tooltip.top="'Remove line'"
          type="button"
          class="icon-button"
          aria-label="Remove line"
          @click="emit('remove')"
        >
          <i class="pi pi-trash" />
        </button>
      </div>
      <FieldList
        v-if="entry"
        :schema="entry.schema"
        :values="term.source"
        @drag="(n, v) => emit('drag', 'source', n, v)"
        @done="(_n, _v, title) => emit('done', title)"
      />
      <hr />
      <FieldList
        v-if="work.catalogue"
        :schema="work.catalogue.term"
        :values="term"
        :only="shapingNames.filter((n) => n !== 'invert')"
        @drag="(n, v) => emit('drag', 'term', n, v)"
        @done="(_n, _v, title) => emit('done', title)"
      />
    </div>
  </li>
</template>

<style scoped>
.term {
  margin: 0 -10px;
  padding: 3px 10px;
  border-radius: 4px;
}
.term.open {
  background: color-mix(in srgb, var(--tint) 55%, transparent);
}
.head {
  display: grid;
  grid-template-columns: 36px 1fr 54px;
  gap: 10px;
  align-items: center;
}
.thumb {
  width: 36px;
  height: 36px;
  border-radius: 3px;
  overflow: hidden;
  background: #868686;
  border: 1px solid var(--line);
}
.thumb.through {
  outline: 2px solid var(--verdigris);
}
.thumb img {
  width: 100%;
  height: 100%;
  display: block;
}
.words {
  text-align: left;
  min-width: 0;
  display: grid;
}
.sentence b {
  font-weight: 600;
  color: var(--verdigris);
}
.term.muted .sentence {
  color: var(--muted);
}
.body {
  padding: 6px 0 8px;
}
.tools {
  display: flex;
  align-items: center;
  gap: 4px;
  margin-bottom: 4px;
}
.fill {
  flex: 1;
}
.tool {
  border: 1px solid var(--line);
  background: var(--panel);
  border-radius: 4px;
  padding: 2px 9px;
}
.tool[aria-pressed='true'] {
  background: var(--verdigris);
  border-color: var(--verdigris);
  color: var(--panel);
}
hr {
  border: 0;
  border-top: 1px solid var(--line);
  margin: 5px 0;
}
</style>
