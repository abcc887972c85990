<script setup lang="ts">
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import type { ChannelFact, FieldSchema, Levels } from '../../api/scene'
import { fieldsOf } from '../../api/scene'
import ColourField from '../../controls/ColourField.vue'
import ColourFromPicture from '../../controls/ColourFromPicture.vue'
import FieldList from '../../controls/FieldList.vue'
import NumberField from '../../controls/NumberField.vue'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'

/** Levels of every channel, and one value instead of what the base brings. */
const work = useWork()
const bases = useBases()
const open = ref('base_color')
const picker = ref<InstanceType<typeof ColourFromPicture>>()
const inUse = computed(
  () => new Set([...Object.keys(work.evaluation?.channels ?? {}), ...Object.keys(bases.base?.levels ?? {})]),
)
const shown = computed(() =>
  bases.channels.filter((c) => inUse.value.has(c.name) || ['base_color', 'roughness', 'metalness'].includes(c.name)),
)
const others = computed(() => bases.channels.filter((c) => !shown.value.includes(c)))
const levels = (c: ChannelFact): Levels => bases.base?.levels[c.name] ?? bases.freshLevels()
const changed = (c: ChannelFact) => !!bases.base?.levels[c.name]
const fields = (c: ChannelFact) =>
  fieldsOf(work.catalogue?.levels ?? {})
    .filter(([name, f]) => name !== 'value' && (c.colour || !(f as { colours?: boolean }).colours))
    .map(([name]) => name)
function change(c: ChannelFact, name: string, value: unknown) {
  const now = { ...levels(c), [name]: value }
  bases.base!.levels = { ...bases.base!.levels, [c.name]: now as Levels }
  work.preview()
}
function taken(color: number[]) {
  work.edit('Base color from a picture', () => {
    bases.base!.levels = {
      ...bases.base!.levels,
      base_color: { ...(bases.base!.levels.base_color ?? bases.freshLevels()), value: color } as Levels,
    }
  })
}
function one(c: ChannelFact, on: boolean) {
  change(c, 'value', on ? [...c.default] : null)
  bases.done(`${c.title} ${on ? 'one value' : 'as it comes'}`)
}
function reset(c: ChannelFact) {
  work.edit(`${c.title}: as it comes`, () => {
    const left = { ...bases.base!.levels }
    delete left[c.name]
    bases.base!.levels = left
  })
}
function add(name: string) {
  const c = bases.channels.find((x) => x.name === name)
  if (!c) return
  open.value = name
  change(c, 'value', [...c.default])
  bases.done(`${c.title} set`)
}
const albedos = computed(() =>
  Object.entries(work.catalogue?.albedos ?? {})
    .map(([what, [low, high]]) => `${what} ${Math.round(low * 100)}–${Math.round(high * 100)} %`)
    .join(', '),
)
const valueField = (c: ChannelFact): FieldSchema => ({
  title: 'Value',
  unit: c.unit || (c.high === 1 && c.low === 0 ? '%' : ''),
  soft: [c.low, Math.min(c.high, c.unit === 'cd/m²' ? 1000 : c.unit === 'mm' ? 100 : c.high)],
  minimum: c.low,
  maximum: c.high,
  default: c.default[0],
  control: 'slider',
})
</script>

<template>
  <div v-if="bases.base && work.catalogue">
    <section v-for="c in shown" :key="c.name" :data-channel="c.name">
      <button type="button" class="head" :aria-expanded="open === c.name" @click="open = open === c.name ? '' : c.name">
        <i :class="open === c.name ? 'pi pi-angle-down' : 'pi pi-angle-right'" />
        <span class="name">{{ c.title }}</span>
        <span v-if="changed(c)" class="muted set">{{ levels(c).value ? 'one value' : 'levelled' }}</span>
      </button>
      <div v-if="open === c.name" class="body">
        <div class="tools">
          <button type="button" class="press" :aria-pressed="!!levels(c).value" @click="one(c, !levels(c).value)">
            One value
          </button>
          <button
            v-if="c.name === 'base_color'"
            v-tooltip.top="`Take a colour out of a photograph. Published albedos: ${albedos}`"
            type="button"
            class="press"
            @click="picker?.open()"
          >
            From a picture…
          </button>
          <span class="fill" />
          <button v-if="changed(c)" type="button" class="link" @click="reset(c)">As it comes</button>
        </div>
        <template v-if="levels(c).value">
          <ColourField
            v-if="c.width === 3"
            :field="{ title: 'Value', control: 'colour' }"
            :name="`value-${c.name}`"
            :model-value="levels(c).value!"
            @drag="(v) => change(c, 'value', v)"
            @done="bases.done(c.title)"
          />
          <NumberField
            v-else
            :field="valueField(c)"
            :name="`value-${c.name}`"
            :model-value="levels(c).value![0]"
            @drag="(v) => change(c, 'value', [v])"
            @done="bases.done(c.title)"
          />
        </template>
        <FieldList
          v-else
          :schema="work.catalogue.levels"
          :values="levels(c)"
          :only="fields(c)"
          @drag="(name, value) => change(c, name, value)"
          @done="(_n, _v, title) => bases.done(`${c.title}, ${title}`)"
        />
      </div>
    </section>
    <div class="more">
      <Select
        size="small"
        fluid
        filter
        :model-value="null"
        :options="others"
        option-label="title"
        option-value="name"
        placeholder="Set another channel…"
        aria-label="Set another channel"
        @update:model-value="add"
      />
    </div>
    <ColourFromPicture ref="picker" title="Base color" @picked="taken" />
  </div>
</template>

<style scoped>
section {
  border-bottom: 1px solid var(--line);
}
.head {
  display: flex;
  width: 100%;
  gap: 6px;
  align-items: center;
  min-height: 30px;
  text-align: left;
}
.head i {
  font-size: 11px;
}
.set {
  margin-left: auto;
}
.body {
  padding-bottom: 8px;
}
.tools {
  display: flex;
  gap: 6px;
  align-items: center;
  padding-bottom: 4px;
}
.fill {
  flex: 1;
}
.more {
  padding-top: 10px;
}
</style>
