<script setup lang="ts">
import Button from 'primevue/button'
import InputNumber from 'primevue/inputnumber'
import ProgressBar from 'primevue/progressbar'
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { pictureUrl } from '../../api/pictures'
import { useWork } from '../../stores/work'

/** Every reading as a card, and how well they were measured. */
const work = useWork()
const sizes = ref<Record<string, number>>({})
const components = ref<Record<string, string>>({})
const cards = computed(() =>
  (work.catalogue?.readings ?? []).map((r) => ({
    ...r,
    components: r.components ?? [],
    picture: work.evaluation?.pictures[`reading:${r.kind}`],
    size_mm: sizes.value[r.kind] ?? r.default_size_mm,
    component: components.value[r.kind] ?? '',
    gap: work.object?.missing_readings[r.kind] ?? '',
    on: work.look.kind === 'reading' && work.look.name === r.kind,
  })),
)
type Card = (typeof cards.value)[number]
const words: Record<string, string> = {
  missing: 'Not measured yet',
  draft: 'Draft',
  outdated: 'Of the setting before',
  good: 'Good',
  fine: 'Fine',
}
const UNIT_WORDS: Record<string, string> = { '°': 'degrees' }
const quality = computed(() => work.object?.readings ?? 'missing')
const show = (card: Card) =>
  work.show({ kind: 'reading', name: card.kind, size_mm: card.size ? card.size_mm : 0, component: card.component })
function resize(card: Card, value: number | null) {
  if (!value) return
  sizes.value = { ...sizes.value, [card.kind]: value }
  if (card.on) work.show({ ...work.look, size_mm: value })
}
function only(card: Card, component: string) {
  components.value = { ...components.value, [card.kind]: component }
  show({ ...card, component })
}
</script>

<template>
  <footer class="band" aria-label="Readings">
    <div class="state">
      <h2>Readings</h2>
      <template v-if="work.measuring">
        <p>{{ work.measuring.word || 'Waiting to measure' }}</p>
        <ProgressBar
          :value="Math.round(work.measuring.progress * 100)"
          :show-value="false"
          style="height: 4px; width: 100%"
        />
        <p class="muted">
          {{ Math.round(work.measuring.progress * 100) }} %
          <template v-if="work.measuring.seconds_left">
            , about {{ Math.ceil(work.measuring.seconds_left) }} s left
          </template>
        </p>
        <Button size="small" severity="secondary" label="Cancel" @click="work.cancelMeasuring()" />
      </template>
      <template v-else>
        <p data-testid="quality">{{ words[quality] }}</p>
        <Button
          v-if="work.facts?.uv.present && !['good', 'fine'].includes(quality)"
          size="small"
          label="Measure"
          @click="work.measure('good')"
        />
        <Button
          v-else-if="quality === 'good'"
          v-tooltip.top="'Twice the resolution and three times the rays; a minute or more'"
          size="small"
          severity="secondary"
          label="Measure fine"
          @click="work.measure('fine')"
        />
      </template>
    </div>
    <ul>
      <li v-for="card in cards" :key="card.kind" class="card" :class="{ on: card.on }">
        <button
          v-tooltip.top="card.gap || card.about"
          type="button"
          class="pick"
          :disabled="!!card.gap || !card.picture"
          :aria-pressed="card.on"
          :data-look="card.kind"
          @click="show(card)"
        >
          <img v-if="card.picture" :src="pictureUrl(card.picture)" alt="" />
          <i v-else class="blank" />
          <span class="name clip">{{ card.title }}</span>
        </button>
        <InputNumber
          v-if="card.size"
          class="small"
          size="small"
          :model-value="card.size_mm"
          :min="0.05"
          :max="100000"
          :max-fraction-digits="2"
          :use-grouping="false"
          suffix=" mm"
          :aria-label="`${card.title}: ${card.size}`"
          @update:model-value="(v) => resize(card, v)"
        />
        <Select
          v-else-if="card.components.length"
          class="small"
          size="small"
          :model-value="card.component"
          :options="[{ l: 'all', v: '' }, ...card.components.map((c) => ({ l: c, v: c }))]"
          option-label="l"
          option-value="v"
          :disabled="!!card.gap"
          :aria-label="`${card.title}: component`"
          @update:model-value="(v) => only(card, v)"
        />
        <span v-else class="muted note clip">
          {{ card.gap ? 'none here' : (UNIT_WORDS[card.unit] ?? (card.unit || '\u00a0')) }}
        </span>
      </li>
    </ul>
  </footer>
</template>

<style scoped>
.band {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
  background: var(--panel);
  border-top: 1px solid var(--line);
  min-height: 0;
}
.state {
  padding: 12px 14px;
  display: grid;
  gap: 5px;
  align-content: start;
  justify-items: start;
  border-right: 1px solid var(--line);
}
h2 {
  font-size: 13px;
}
ul {
  display: flex;
  gap: 8px;
  padding: 10px 14px;
  overflow-x: auto;
}
.card {
  flex: 0 0 122px;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 2px 2px 4px;
  background: var(--paper);
  display: grid;
  align-content: start;
}
.card.on {
  border-color: var(--verdigris);
  box-shadow: inset 0 0 0 1px var(--verdigris);
}
.pick {
  display: grid;
  text-align: left;
}
.pick:disabled {
  cursor: default;
}
.pick:disabled .name {
  color: var(--muted);
  font-weight: 400;
}
img,
.blank {
  width: 118px;
  height: 76px;
  border-radius: 3px;
  background: #868686;
}
.name {
  padding: 4px 6px 0;
}
.note {
  padding: 2px 6px;
}
.small {
  margin: 2px 3px 0;
  height: 24px;
}
.small :deep(input),
.small :deep(.p-select-label) {
  padding: 1px 4px;
}
.small :deep(input) {
  width: 100%;
}
</style>
