<script setup lang="ts">
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import type { ChannelFact, ChannelRange, FieldSchema } from '../api/scene'
import { useWork } from '../stores/work'
import ColourField from './ColourField.vue'
import NumberField from './NumberField.vue'

/** Values of one's own for channels: one, or two between which the recipe leads from black to white. */
type Ranges = Record<string, ChannelRange>
const props = defineProps<{ field: FieldSchema; name: string; modelValue: Ranges }>()
const emit = defineEmits<{ drag: [value: Ranges]; done: [value: Ranges] }>()
const work = useWork()
const channels = computed<ChannelFact[]>(() => work.catalogue?.channel_list ?? [])
const given = computed(() => channels.value.filter((c) => c.name in props.modelValue))
const open = computed(() =>
  channels.value.filter((c) => !(c.name in props.modelValue)).map((c) => ({ value: c.name, label: c.title })),
)
/** Always empty: what is taken from the list goes into the rows above it. */
const taken = ref<string | null>(null)

const plain = (c: ChannelFact) => (c.width > 1 ? c.default : c.default[0]) as ChannelRange['white']
const schemaOf = (c: ChannelFact, title: string): FieldSchema => ({
  title,
  description: c.about,
  unit: c.unit,
  minimum: c.low,
  maximum: c.high,
  soft: [c.low, c.high],
  control: c.width > 1 ? 'colour' : 'slider',
})
const rows = (c: ChannelFact): { end: 'white' | 'black'; title: string }[] =>
  props.modelValue[c.name].black === null
    ? [{ end: 'white', title: c.title }]
    : [
        { end: 'white', title: 'where white' },
        { end: 'black', title: 'where black' },
      ]
function change(next: Ranges) {
  emit('drag', next)
  emit('done', next)
}
function add(name: string | null) {
  const channel = channels.value.find((c) => c.name === name)
  taken.value = null
  if (channel) change({ ...props.modelValue, [channel.name]: { white: plain(channel), black: null } })
}
function remove(name: string) {
  change(Object.fromEntries(Object.entries(props.modelValue).filter(([n]) => n !== name)))
}
function toggle(c: ChannelFact) {
  const now = props.modelValue[c.name]
  change({ ...props.modelValue, [c.name]: { ...now, black: now.black === null ? plain(c) : null } })
}
const moved = (c: ChannelFact, end: 'white' | 'black', value: unknown): Ranges => ({
  ...props.modelValue,
  [c.name]: { ...props.modelValue[c.name], [end]: value as ChannelRange['white'] },
})
</script>

<template>
  <div class="ranges" :data-field="name" role="group" :aria-label="field.title">
    <div v-for="c in given" :key="c.name" class="channel" :data-channel-value="c.name">
      <div class="head">
        <b class="clip">{{ c.title }}</b>
        <button
          v-tooltip.top="'One value, or two: where its place is black and where it is white'"
          type="button"
          :aria-pressed="modelValue[c.name].black !== null"
          :aria-label="`${c.title}: a range from black to white`"
          @click="toggle(c)"
        >
          range
        </button>
        <button type="button" class="icon-button" :aria-label="`${c.title}: no value`" @click="remove(c.name)">
          <i class="pi pi-times" />
        </button>
      </div>
      <template v-for="row in rows(c)" :key="row.end">
        <ColourField
          v-if="c.width > 1"
          :name="`${name}-${c.name}-${row.end}`"
          :field="schemaOf(c, row.title)"
          :model-value="modelValue[c.name][row.end] as number[]"
          @drag="(v) => emit('drag', moved(c, row.end, v))"
          @done="(v) => emit('done', moved(c, row.end, v))"
        />
        <NumberField
          v-else
          :name="`${name}-${c.name}-${row.end}`"
          :field="schemaOf(c, row.title)"
          :model-value="modelValue[c.name][row.end] as number"
          @drag="(v) => emit('drag', moved(c, row.end, v))"
          @done="(v) => emit('done', moved(c, row.end, v))"
        />
      </template>
    </div>
    <div class="add">
      <span v-tooltip.left="field.description || undefined">{{ field.title }}</span>
      <Select
        v-model="taken"
        size="small"
        filter
        :options="open"
        option-label="label"
        option-value="value"
        placeholder="Give a channel a value"
        aria-label="Give a channel a value"
        @update:model-value="add"
      />
    </div>
  </div>
</template>

<style scoped>
.ranges {
  display: grid;
  gap: 2px;
}
.head {
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 26px;
}
.head b {
  flex: 1;
  font-weight: 500;
}
.head button:not(.icon-button) {
  font-size: 12px;
  color: var(--muted);
  padding: 1px 8px;
  border: 1px solid var(--line);
  border-radius: 999px;
}
.head button[aria-pressed='true'] {
  color: var(--ink);
  border-color: var(--verdigris);
  background: var(--tint);
}
.channel {
  border-left: 2px solid var(--line);
  padding-left: 9px;
}
.add {
  display: grid;
  grid-template-columns: 106px minmax(0, 1fr);
  align-items: center;
  gap: 10px;
  min-height: 28px;
}
</style>
