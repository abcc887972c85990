<script setup lang="ts">
import { computed } from 'vue'
import { pictureUrl } from '../../api/pictures'
import type { Episode, Layer } from '../../api/scene'
import { useWork } from '../../stores/work'

/** A folded episode: its layers as one card. */
const props = defineProps<{ episode: Episode; layers: Layer[]; later: boolean }>()
const work = useWork()
const selected = computed(() => work.selectedEpisode === props.episode.id)
const picture = computed(() =>
  props.layers
    .map((l) => work.outcome.get(l.id)?.picture)
    .reverse()
    .find((p) => p),
)
const note = computed(() => props.layers.map((l) => work.outcome.get(l.id)?.note).find((n) => n))
const unfold = () => work.fold(props.episode.id, false)
function key(event: KeyboardEvent) {
  if (event.target !== event.currentTarget) return
  const act: Record<string, () => void> = {
    Enter: () => work.selectEpisode(props.episode.id),
    ' ': () => work.selectEpisode(props.episode.id),
    Delete: () => work.removeEpisode(props.episode.id),
  }
  if (event.altKey && event.key === 'ArrowLeft') act.ArrowLeft = () => work.moveEpisode(props.episode.id, 'earlier')
  if (event.altKey && event.key === 'ArrowRight') act.ArrowRight = () => work.moveEpisode(props.episode.id, 'later')
  if (!act[event.key]) return
  event.preventDefault()
  event.stopPropagation()
  act[event.key]()
}
</script>

<template>
  <div
    class="card story-card"
    :class="{ selected, off: !episode.on, later }"
    tabindex="0"
    role="group"
    :aria-label="`${episode.name}, an episode of ${layers.length} layers`"
    :data-episode-card="episode.id"
    @click="work.selectEpisode(episode.id)"
    @dblclick="unfold"
    @keydown="key"
  >
    <div class="picture">
      <img v-if="picture" :src="pictureUrl(picture)" alt="" draggable="false" />
      <i v-if="note" v-tooltip.top="note" class="pi pi-exclamation-circle warn" :aria-label="note" />
    </div>
    <div class="text">
      <span class="name clip">{{ layers.length }} layers</span>
      <button v-tooltip.top="'Unfold'" type="button" class="icon-button" aria-label="Unfold" @click.stop="unfold">
        <i class="pi pi-angle-double-right" />
      </button>
    </div>
    <p class="muted clip">{{ layers.map((l) => l.name).join(', ') }}</p>
  </div>
</template>

<style scoped>
/* Several lie behind it. */
.card {
  box-shadow:
    3px 3px 0 -1px var(--panel),
    3px 3px 0 0 var(--line);
}
.card.off > * {
  opacity: 0.4;
}
.text {
  display: flex;
  align-items: center;
  justify-content: space-between;
  padding: 3px 4px 0 8px;
  height: 26px;
}
p {
  padding: 0 8px 8px;
  font-size: 12px;
}
</style>
