<script setup lang="ts">
import { computed } from 'vue'
import type { Episode } from '../../api/scene'
import { useWork } from '../../stores/work'
import { CARD, STEP, type Card } from './useHairline'

const props = defineProps<{ cards: Card[] }>()
const work = useWork()
/** Brackets above the cards: where each begins, in cards, and how many it spans. */
const brackets = computed(() => {
  const out: { episode: Episode; from: number; span: number }[] = []
  props.cards.forEach((card, k) => {
    if (!card.episode) return
    const last = out.at(-1)
    if (last?.episode.id === card.episode.id && last.from + last.span === k) last.span++
    else out.push({ episode: card.episode, from: k, span: 1 })
  })
  return out
})
</script>

<template>
  <div class="brackets" :class="{ none: !brackets.length }">
    <button
      v-for="b in brackets"
      :key="b.episode.id"
      type="button"
      class="bracket"
      :class="{ selected: work.selectedEpisode === b.episode.id, off: !b.episode.on }"
      :style="{ left: `${b.from * STEP}px`, width: `${(b.span - 1) * STEP + CARD}px` }"
      :data-episode="b.episode.id"
      :aria-pressed="work.selectedEpisode === b.episode.id"
      @click="work.selectEpisode(b.episode.id)"
      @dblclick="work.fold(b.episode.id, !b.episode.folded)"
    >
      <span class="clip">{{ b.episode.name }}</span>
    </button>
  </div>
</template>

<style scoped>
.brackets {
  position: relative;
  height: 22px;
}
.brackets.none {
  height: 4px;
}
.bracket {
  position: absolute;
  top: 1px;
  height: 19px;
  padding: 0 8px 2px;
  border: solid var(--muted);
  border-width: 1px 1px 0;
  border-radius: 4px 4px 0 0;
  display: flex;
  align-items: center;
  justify-content: center;
  min-width: 0;
  font-weight: 600;
  font-size: 12px;
}
.bracket:hover {
  background: var(--tint);
}
.bracket.selected {
  border-color: var(--verdigris);
  color: var(--verdigris);
  background: var(--tint);
}
.bracket.off {
  opacity: 0.5;
  border-style: dashed;
}
</style>
