<script setup lang="ts">
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref } from 'vue'
import type { Entry, Term } from '../../api/scene'
import FieldList from '../../controls/FieldList.vue'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'
import SourcePicker from '../../controls/SourcePicker.vue'

/** A base that lies over the ones before it, as far as a mask goes; where they meet the higher one wins. */
const work = useWork()
const bases = useBases()
const adder = ref<InstanceType<typeof SourcePicker>>()
const open = ref(0)
const place = computed(() => `bases[${bases.chosen}]`)
const terms = computed<Term[]>(() => bases.base?.where?.terms ?? [])
const SHAPING = ['low', 'high', 'gamma', 'invert', 'combine', 'amount']
const entry = (t: Term) => work.sources.get(t.source.kind)
/** A base cannot be placed by what happens later, and nothing is drawn by hand here. */
const fits = (s: Entry) => !s.looks_back && s.group !== 'The chronicle' && !s.over
function lie(on: boolean) {
  open.value = 0
  void work.run('base-by-mask', { base: bases.chosen, on })
}
function add(source: Entry) {
  open.value = terms.value.length
  void work.addLine(place.value, source.kind)
}
function drag(t: Term, where: 'source' | 'term', name: string, value: unknown) {
  if (where === 'source') t.source[name] = value
  else t[name] = value
  work.preview()
}
const drop = (k: number) => work.removeLine(place.value, k)
</script>

<template>
  <section v-if="bases.base">
    <div class="switch">
      <label for="lies-over">Lies over the others by a mask</label>
      <ToggleSwitch input-id="lies-over" :model-value="!!bases.base.where" @update:model-value="lie" />
    </div>
    <template v-if="bases.base.where">
      <div v-for="(t, k) in terms" :key="k" class="line">
        <div class="head">
          <button type="button" class="words" :aria-expanded="open === k" @click="open = open === k ? -1 : k">
            <b>{{ entry(t)?.title }}</b>
            <span class="muted clip">{{ k ? `${t.combine}, ` : '' }}{{ t.low }} to {{ t.high }}</span>
          </button>
          <button type="button" class="icon-button" aria-label="Remove line" @click="drop(k)">
            <i class="pi pi-trash" />
          </button>
        </div>
        <template v-if="open === k && entry(t) && work.catalogue">
          <FieldList
            :schema="entry(t)!.schema"
            :values="t.source"
            @drag="(n, v) => drag(t, 'source', n, v)"
            @done="(_n, _v, title) => bases.done(title)"
          />
          <FieldList
            :schema="work.catalogue.term"
            :values="t"
            :only="SHAPING"
            @drag="(n, v) => drag(t, 'term', n, v)"
            @done="(_n, _v, title) => bases.done(title)"
          />
        </template>
      </div>
      <p v-if="!terms.length" class="muted">Everywhere. Add a line to say where.</p>
      <button type="button" class="link" aria-haspopup="menu" @click="(e) => adder?.toggle(e)">Add a line…</button>
      <SourcePicker ref="adder" :fits="fits" @choose="add" />
      <FieldList
        v-if="work.catalogue"
        :schema="work.catalogue.base"
        :values="bases.base"
        :only="['blend_mm', 'stands_mm']"
        @drag="(n, v) => ((bases.base![n] = v), work.preview())"
        @done="(_n, _v, title) => bases.done(title)"
      />
    </template>
  </section>
</template>

<style scoped>
section {
  border-top: 1px solid var(--line);
  margin-top: 8px;
  padding-top: 6px;
}
.switch,
.head {
  display: flex;
  align-items: center;
  justify-content: space-between;
  min-height: 28px;
}
.line {
  border-bottom: 1px solid var(--line);
}
.words {
  display: flex;
  gap: 8px;
  min-width: 0;
  flex: 1;
  text-align: left;
}
</style>
