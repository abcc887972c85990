<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { VueDraggable } from 'vue-draggable-plus'
import { useWork } from '../../stores/work'
import EffectPicker from './EffectPicker.vue'
import EpisodeBrackets from './EpisodeBrackets.vue'
import EpisodeCard from './EpisodeCard.vue'
import LayerCard from './LayerCard.vue'
import SnapshotMenu from './SnapshotMenu.vue'
import { LEFT, useHairline, type Card } from './useHairline'

/**
 * What happened to the surface, from left to right. The hairline plays the story back: layer by layer, or through the
 * years.
 */
const work = useWork()
const emit = defineEmits<{ rename: [] }>()
const cards = ref<Card[]>([])
watch(
  () => [work.scene?.layers, work.scene?.episodes] as const,
  ([layers, episodes]) => {
    const out: Card[] = []
    for (const layer of layers ?? []) {
      const episode = episodes?.find((e) => e.id === layer.episode)
      const last = out.at(-1)
      if (episode?.folded && last?.episode?.id === episode.id) last.layers.push(layer)
      else
        out.push({
          id: episode?.folded ? `episode:${episode.id}` : layer.id,
          layers: [layer],
          episode,
          folded: !!episode?.folded,
        })
    }
    cards.value = out
  },
  { immediate: true, deep: 3 },
)
const layers = computed(() => cards.value.flatMap((c) => c.layers))
const dropped = () => work.orderLayers(layers.value.map((l) => l.id))
const band = ref<HTMLElement>()
const axis = ref<HTMLElement>()
const { width } = useElementSize(band)
const scrolled = ref(0)
const count = computed(() => cards.value.length)
const hairline = useHairline(cards, band, axis, scrolled)
const { byYears, at, year, ticks, yearWord, hair, words, playing, long } = hairline

const picker = ref<InstanceType<typeof EffectPicker>>()
defineExpose({ add: () => picker.value?.open() })
watch(
  () => work.selectedId,
  async () => {
    await nextTick()
    band.value?.querySelector('.card.selected')?.scrollIntoView({ block: 'nearest', inline: 'nearest' })
  },
)
</script>

<template>
  <section class="chronicle" aria-label="Chronicle">
    <div class="head">
      <div
        ref="axis"
        class="axis"
        @pointerdown="hairline.grab"
        @pointermove="hairline.pull"
        @pointerup="hairline.release"
        @pointercancel="hairline.release"
      >
        <button type="button" class="muted" @pointerdown.stop @click="hairline.toStart">As made</button>
        <i />
        <template v-if="byYears">
          <span v-for="t in ticks" :key="t" class="tick" :style="{ left: `${LEFT + (long * t) / work.today}px` }">
            <b v-if="(long * t) / work.today > 80 && long - (long * t) / work.today > 130">{{ t }}</b>
          </span>
        </template>
        <button type="button" class="muted" @pointerdown.stop @click="hairline.toToday">
          {{ byYears ? `Today, ${Number(work.today.toFixed(1))} years` : 'Today' }}
        </button>
      </div>
      <SnapshotMenu />
      <span class="ways">
        <button
          v-tooltip.top="byYears ? 'Let the years go by' : 'Look at it through the years'"
          type="button"
          class="press"
          :aria-pressed="byYears"
          data-testid="by-years"
          @click="hairline.turn"
        >
          Years
        </button>
        <button
          v-if="byYears"
          type="button"
          class="icon-button"
          :aria-label="playing ? 'Stop the years' : 'Let the years go by'"
          @click="hairline.play"
        >
          <i :class="playing ? 'pi pi-pause' : 'pi pi-play'" />
        </button>
        <span v-if="work.scene?.year != null" class="age" data-testid="year">{{ yearWord }}</span>
      </span>
    </div>
    <div ref="band" class="band" @scroll="scrolled = band!.scrollLeft">
      <div class="rows">
        <EpisodeBrackets :cards="cards" />
        <VueDraggable
          v-model="cards"
          class="cards"
          :animation="120"
          :force-fallback="true"
          :fallback-tolerance="5"
          :delay="0"
          filter=".eye"
          :prevent-on-filter="false"
          ghost-class="ghost"
          @end="dropped"
        >
          <template v-for="(card, k) in cards" :key="card.id">
            <EpisodeCard
              v-if="card.folded"
              :episode="card.episode!"
              :layers="card.layers"
              :later="!byYears && k >= at"
            />
            <LayerCard
              v-else
              :layer="card.layers[0]"
              :index="layers.indexOf(card.layers[0])"
              :count="layers.length"
              :later="byYears ? card.layers[0].since > year : k >= at"
              :quiet="card.episode ? !card.episode.on : false"
              @rename="emit('rename')"
            />
          </template>
        </VueDraggable>
      </div>
      <button type="button" class="next" data-testid="add-layer" @click="picker?.open()">Add what happened next</button>
    </div>
    <div
      v-show="hair > 0 && hair < width + 8"
      class="hair"
      :class="{ short: byYears }"
      :style="{ left: `${hair}px` }"
      role="slider"
      tabindex="0"
      :aria-label="byYears ? 'Year' : 'Moment of the story'"
      :aria-valuenow="byYears ? Number(year.toFixed(1)) : at"
      aria-valuemin="0"
      :aria-valuemax="byYears ? work.today : count"
      :aria-valuetext="words"
      @pointerdown="hairline.grab"
      @pointermove="hairline.pull"
      @pointerup="hairline.release"
      @pointercancel="hairline.release"
      @keydown="hairline.key"
    />
    <p v-if="!count" class="hint muted">Nothing has happened to it yet. Begin with paint, or let it rust.</p>
    <EffectPicker ref="picker" />
  </section>
</template>

<style scoped>
.chronicle {
  position: relative;
  background: var(--paper);
  border-top: 1px solid var(--line);
  min-width: 0;
}
.head {
  display: flex;
  align-items: center;
  height: 30px;
}
.axis {
  position: relative;
  display: flex;
  flex: 1;
  align-items: center;
  gap: 12px;
  padding: 7px 24px 5px;
  cursor: ew-resize;
  touch-action: none;
}
.axis i {
  flex: 1;
  height: 1px;
  background: var(--line);
}
.tick {
  position: absolute;
  bottom: 3px;
  height: 6px;
  border-left: 1px solid var(--muted);
  pointer-events: none;
}
.tick b {
  position: absolute;
  bottom: 5px;
  transform: translateX(-50%);
  font-weight: 400;
  font-size: 11px;
  color: var(--muted);
  background: var(--paper);
  padding: 0 3px;
}
.ways {
  display: flex;
  align-items: center;
  gap: 6px;
  padding-right: 14px;
}
.age {
  color: var(--oxide);
}
.band {
  display: flex;
  gap: 8px;
  overflow-x: auto;
  padding: 0 24px 8px;
  scrollbar-width: thin;
}
.rows {
  flex: none;
}
.cards {
  display: flex;
  gap: 8px;
}
.ghost {
  opacity: 0.35;
}
.next {
  flex: none;
  align-self: flex-end;
  width: 92px;
  min-height: 118px;
  margin-left: 8px;
  border: 1px dashed var(--muted);
  border-radius: 5px;
  color: var(--verdigris);
  font-weight: 600;
  padding: 0 10px;
}
.next:hover {
  background: var(--tint);
}
.hair {
  position: absolute;
  top: 8px;
  bottom: 6px;
  width: 15px;
  margin-left: -7.5px;
  cursor: ew-resize;
  touch-action: none;
  background: linear-gradient(var(--ink), var(--ink)) center / 1.5px 100% no-repeat;
}
.hair.short {
  bottom: auto;
  height: 22px;
}
.hair::before {
  content: '';
  position: absolute;
  left: 2px;
  top: 0;
  border: 5.5px solid transparent;
  border-top: 9px solid var(--ink);
}
.hint {
  position: absolute;
  left: 150px;
  top: 84px;
}
</style>
