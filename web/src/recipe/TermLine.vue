<script setup lang="ts">
import Menu from 'primevue/menu'
import { computed, ref } from 'vue'
import { pictureUrl } from '../api/pictures'
import { fieldsOf, type FieldSchema, type Term } from '../api/scene'
import FieldList from '../controls/FieldList.vue'
import HistogramBars from '../controls/HistogramBars.vue'
import { percent, readable, withUnit } from '../figures/format'
import { drawnOf } from '../stores/hand'
import { useGuide } from '../stores/guide'
import { useWork } from '../stores/work'
import HandField from './HandField.vue'

/** One line of a recipe, read as part of a sentence; opened, it shows its source and its shaping. */
const props = defineProps<{ term: Term; place: string; index: number; count: number; open: boolean }>()
const emit = defineEmits<{
  toggle: []
  drag: [where: 'source' | 'term', name: string, value: unknown]
  done: [label: string]
  remove: []
  move: [by: number]
  duplicate: []
}>()
const work = useWork()
const guide = useGuide()

const entry = computed(() => work.sources.get(props.term.source.kind))
const fields = computed(() => new Map(fieldsOf(entry.value?.schema ?? {})))
const result = computed(() => work.evaluation?.where?.terms[props.index])
const through = computed(
  () => work.look.kind === 'term' && work.look.layer === work.focus && work.look.index === props.index,
)

/** The sentence in pieces; values are set off. */
const said = computed(() => {
  for (const [name, values] of Object.entries(entry.value?.sentences ?? {})) {
    const other = values[String(props.term.source[name])]
    if (other) return other
  }
  return entry.value?.sentence ?? props.term.source.kind
})
const sentence = computed(() =>
  said.value
    .split(/\{(\w+)\}/)
    .map((piece, k) => ({ value: k % 2 === 1, text: k % 2 === 1 ? valueText(piece) : piece })),
)
const someOf = (names: string[]) =>
  names.length === 0
    ? 'no part yet'
    : names.length <= 2
      ? names.join(' and ')
      : `${names[0]} and ${names.length - 1} more`
/** A neighbour or a piece of one, "id" or "id/piece". */
function called(which: string): string {
  const [id, ...piece] = which.split('/')
  return piece.join('/') || (work.scene?.object.neighbours.find((n) => n.id === id)?.name ?? id)
}
function valueText(name: string): string {
  const value = props.term.source[name]
  const field: FieldSchema = fields.value.get(name) ?? {}
  if (typeof value === 'number') return withUnit(value, field)
  if (field.control === 'strokes' || field.control === 'picks') {
    const count = (value as unknown[]).length
    const word = field.control === 'strokes' ? 'stroke' : 'place'
    return count ? `${count} ${word}${count === 1 ? '' : 's'}` : 'nothing yet'
  }
  if (field.control === 'picture') return String(value).split('/').at(-1) || 'none chosen yet'
  if (value === '' && (field.control === 'layer' || field.control === 'coat')) return 'no layer yet'
  if (field.control === 'choice') {
    // Which ones, where the choice opens a list and something of it is chosen.
    const list = [...fields.value].find(
      ([, f]) => f.when?.[name] === value && ['parts', 'others'].includes(f.control ?? ''),
    )
    if (list && (list[1].control === 'parts' || (props.term.source[list[0]] as unknown[]).length))
      return valueText(list[0])
  }
  if (field.control === 'others') return someOf((value as string[]).map(called))
  if (Array.isArray(value)) return someOf(value as string[])
  return field.names?.[String(value)] ?? work.scene?.layers.find((l) => l.id === value)?.name ?? String(value)
}
const lead = computed(() => {
  if (props.term.solo) return 'only: '
  if (props.term.muted) return 'muted: '
  const not = props.term.invert ? 'not ' : ''
  if (props.index === 0) return not
  const words: Record<string, string> = {
    multiply: entry.value?.joint ? `${entry.value.joint} ` : '',
    add: 'plus ',
    subtract: 'without ',
    darken: 'and only ',
    lighten: 'or ',
    screen: 'or ',
    overlay: 'overlaid by ',
    difference: 'differing from ',
    over: 'then ',
    breaks: 'its edge broken up ',
  }
  return (words[props.term.combine] ?? '') + not
})
const shaping = computed(() => {
  const t = props.term
  const how =
    t.combine !== 'over' && (props.index > 0 || t.combine === 'subtract')
      ? `${t.combine}, ${Math.round(t.amount * 100)} %`
      : t.amount < 1
        ? `${Math.round(t.amount * 100)} %`
        : ''
  const range = t.low !== 0 || t.high !== 1 ? `range ${t.low} – ${t.high}` : ''
  const soft = t.soften_mm > 0 ? `softened ${t.soften_mm} mm` : ''
  const grown = t.grow_mm ? `${(t.grow_mm as number) > 0 ? 'grown' : 'shrunk'} ${Math.abs(t.grow_mm as number)} mm` : ''
  const broken = t.breakup_mm ? `broken up ${t.breakup_mm} mm` : ''
  const cover = typeof t.cover === 'number' ? `covers ${readable(t.cover * 100)} %` : ''
  return [range, t.curve ? 'curve' : '', how, soft, grown, broken, cover].filter(Boolean).join(' · ') || 'as it is'
})
/**
 * Fields of the shaping: the ones used all day, and the rest, which shows when asked for or when something in it is
 * set.
 */
const FIRST = ['low', 'high', 'gamma', 'soften_mm']
const REST = [
  'curve', 'grow_mm', 'breakup_mm', 'breakup_size_mm', 'breakup_way', 'breakup_as', 'cover', 'sharpen', 'out_low', 'out_high',
] // prettier-ignore
const meets = computed(() => (props.index > 0 || props.term.combine === 'over' ? ['combine', 'amount'] : ['amount']))
const schemaOf = computed(() => new Map(fieldsOf(work.catalogue?.term ?? {})))
const shapedFurther = computed(
  () =>
    props.term.combine === 'breaks' ||
    REST.some((name) => {
      const usual = schemaOf.value.get(name)?.default ?? null
      return (props.term[name] ?? null) !== usual
    }),
)
const further = ref(false)
const drawn = computed(() => entry.value && drawnOf(entry.value, props.term.source))
const menu = ref<InstanceType<typeof Menu>>()
/** Wherever else a line may stand. */
const others = computed(() =>
  [
    ...(work.scene?.layers ?? []).map((l) => ({ name: l.name, place: `layers[${l.id}]` })),
    ...(work.scene?.episodes ?? []).map((e) => ({ name: e.name, place: `episodes[${e.id}]` })),
    ...(work.scene?.bases ?? []).flatMap((b, k) =>
      b.where ? [{ name: b.name || `Base ${k + 1}`, place: `bases[${k}]` }] : [],
    ),
  ].filter((one) => one.place !== props.place),
)
async function send(to: { name: string; place: string }, link: boolean) {
  await work.copyLine(props.place, props.index, to.place, link)
  if (!work.trouble) work.notice = `${link ? 'Linked to' : 'Copied to'} ${to.name}.`
}
const linkedTo = computed(() => (props.term.link ? work.linkedTo(props.term.link, props.place) : []))
const actions = computed(() => [
  { label: 'Duplicate', icon: 'pi pi-clone', command: () => emit('duplicate') },
  { label: 'Earlier', icon: 'pi pi-arrow-up', disabled: props.index === 0, command: () => emit('move', -1) },
  {
    label: 'Later',
    icon: 'pi pi-arrow-down',
    disabled: props.index === props.count - 1,
    command: () => emit('move', 1),
  },
  { label: 'Remove', icon: 'pi pi-trash', command: () => emit('remove') },
  {
    label: 'In the guide',
    icon: 'pi pi-book',
    command: () => guide.show({ what: 'source', kind: props.term.source.kind }),
  },
  ...(props.term.link
    ? [{ label: 'Unlink', icon: 'pi pi-link', command: () => work.unlink(props.place, props.index) }]
    : []),
  ...(others.value.length
    ? [
        {
          label: 'Copy to',
          items: others.value.map((l) => ({ label: l.name, command: () => send(l, false) })),
        },
        {
          label: 'Link to',
          items: others.value.map((l) => ({ label: l.name, command: () => send(l, true) })),
        },
      ]
    : []),
])
function look() {
  if (through.value) work.show({ kind: 'lit' })
  else work.show({ kind: 'term', layer: work.focus, index: props.index })
}
</script>

<template>
  <li class="term" :data-guide="`source:${term.source.kind}`" :class="{ open, muted: term.muted }">
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
    <p v-if="result?.finding" class="finding" role="status">
      <i class="pi pi-info-circle" />
      {{ result.finding }}.
    </p>
    <div v-if="open" class="body">
      <div class="tools">
        <button
          v-tooltip.top="'Black and white change places'"
          type="button"
          class="press"
          :aria-pressed="term.invert"
          @click="(emit('drag', 'term', 'invert', !term.invert), emit('done', 'Invert line'))"
        >
          Invert
        </button>
        <button
          v-tooltip.top="'Keep the line but let it do nothing'"
          type="button"
          class="press"
          :aria-pressed="term.muted"
          @click="(emit('drag', 'term', 'muted', !term.muted), emit('done', 'Mute line'))"
        >
          Mute
        </button>
        <button
          v-tooltip.top="'Only lines with this mark count'"
          type="button"
          class="press"
          :aria-pressed="term.solo"
          @click="(emit('drag', 'term', 'solo', !term.solo), emit('done', 'Solo line'))"
        >
          Solo
        </button>
        <span class="fill" />
        <span v-if="result" v-tooltip.top="'Mean of this line over the surface'" class="muted">
          {{ percent(result.share ?? 0) }}
        </span>
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
        <button
          v-tooltip.top="'Move, copy to another layer, link'"
          type="button"
          class="icon-button"
          aria-label="More for this line"
          @click="(e) => menu?.toggle(e)"
        >
          <i class="pi pi-ellipsis-h" />
        </button>
        <Menu ref="menu" :model="actions" popup class="line-menu" />
      </div>
      <p v-if="linkedTo.length" class="linked">
        <i class="pi pi-link" />
        One line with {{ linkedTo.join(', ') }}: a change here counts there too.
      </p>
      <HandField
        v-if="drawn"
        :term="term"
        :kind="drawn"
        @change="(next, label) => (emit('drag', 'source', drawn!, next), emit('done', label))"
      />
      <FieldList
        v-if="entry"
        :schema="entry.schema"
        :values="term.source"
        @drag="(n, v) => emit('drag', 'source', n, v)"
        @done="(_n, _v, title) => emit('done', title)"
      />
      <hr />
      <div v-if="work.catalogue" data-guide="line:line">
        <FieldList
          :schema="work.catalogue.term"
          :values="term"
          :only="[...meets, ...FIRST]"
          @drag="(n, v) => emit('drag', 'term', n, v)"
          @done="(_n, _v, title) => emit('done', title)"
        />
        <button
          type="button"
          class="more muted"
          :aria-expanded="further || shapedFurther"
          :disabled="shapedFurther"
          @click="further = !further"
        >
          <i class="pi" :class="further || shapedFurther ? 'pi-angle-down' : 'pi-angle-right'" />
          Curve, edge and coverage
        </button>
        <FieldList
          v-if="further || shapedFurther"
          :schema="work.catalogue.term"
          :values="term"
          :only="REST"
          @drag="(n, v) => emit('drag', 'term', n, v)"
          @done="(_n, _v, title) => emit('done', title)"
        />
      </div>
    </div>
  </li>
</template>

<style scoped>
.finding {
  color: var(--oxide);
  padding: 2px 0 2px 46px;
}
.linked {
  color: var(--muted);
  padding: 2px 0 4px;
}
.more {
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 28px;
}
.more:disabled {
  cursor: default;
}
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
hr {
  border: 0;
  border-top: 1px solid var(--line);
  margin: 5px 0;
}
</style>
<style>
.line-menu.p-menu {
  max-height: 420px;
  overflow-y: auto;
}
</style>
