<script setup lang="ts">
import { computed } from 'vue'
import { pictureUrl } from '../../api/pictures'
import type { Layer } from '../../api/scene'
import KindGlyph from '../../controls/KindGlyph.vue'
import { percent } from '../../figures/format'
import { useWork } from '../../stores/work'

const props = defineProps<{ layer: Layer; index: number; count: number; later: boolean; quiet?: boolean }>()
const emit = defineEmits<{ rename: [] }>()
const work = useWork()
const effect = computed(() => work.effects.get(props.layer.effect.kind))
const outcome = computed(() => work.outcome.get(props.layer.id))
/** What is shown is what is counted: the share its mask allows, or the share where it acted. */
const share = computed(() => {
  const found = outcome.value
  return (props.layer.on && (work.look.kind === 'mask' ? found?.placed : found?.coverage)) || 0
})
const counted = computed(() => `${work.look.kind === 'mask' ? 'placed on' : 'covers'} ${percent(share.value)}`)
const selected = computed(() => work.selectedId === props.layer.id && !work.selectedEpisode)
const word = computed(() =>
  effect.value?.title === props.layer.name ? effect.value.family : (effect.value?.title ?? ''),
)

function key(event: KeyboardEvent) {
  if (event.target !== event.currentTarget) return
  const act: Record<string, () => void> = {
    Enter: () => work.select(props.layer.id),
    ' ': () => work.select(props.layer.id),
    F2: () => (work.select(props.layer.id), emit('rename')),
    Delete: () => work.removeLayer(props.layer.id),
  }
  if (event.altKey && event.key === 'ArrowLeft') act.ArrowLeft = () => work.moveLayer(props.layer.id, props.index - 1)
  if (event.altKey && event.key === 'ArrowRight') act.ArrowRight = () => work.moveLayer(props.layer.id, props.index + 1)
  if (!act[event.key]) return
  event.preventDefault()
  event.stopPropagation()
  act[event.key]()
}
</script>

<template>
  <div
    class="card story-card"
    :class="{ selected, off: !layer.on || quiet, later }"
    tabindex="0"
    role="group"
    :aria-current="selected"
    :aria-label="`${layer.name}, ${word}, ${layer.on ? counted : 'off'}`"
    :data-layer="layer.id"
    @click="work.select(layer.id)"
    @keydown="key"
    @dblclick="emit('rename')"
  >
    <div class="picture">
      <img v-if="outcome?.picture && layer.on" :src="pictureUrl(outcome.picture)" alt="" draggable="false" />
      <button
        v-tooltip.top="layer.on ? 'Switch off' : 'Switch on'"
        type="button"
        class="eye"
        :aria-label="layer.on ? `Switch ${layer.name} off` : `Switch ${layer.name} on`"
        @click.stop="work.switchLayer(layer.id, !layer.on)"
      >
        <i :class="layer.on ? 'pi pi-eye' : 'pi pi-eye-slash'" />
      </button>
      <i
        v-if="outcome?.note"
        v-tooltip.top="outcome.note"
        class="pi pi-exclamation-circle warn"
        :aria-label="outcome.note"
      />
    </div>
    <div class="text">
      <KindGlyph :family="effect?.family ?? ''" />
      <span class="name" :title="layer.name">{{ layer.name }}</span>
    </div>
    <div class="text muted">
      <span class="clip">{{ word }}</span>
      <span
        v-tooltip.bottom="layer.on ? counted : undefined"
        class="share"
        :class="{ placed: layer.on && work.look.kind === 'mask' }"
        data-testid="coverage"
      >
        {{ layer.on ? percent(share) : 'off' }}
      </span>
    </div>
    <div class="meter"><i :style="{ width: `${share * 100}%` }" /></div>
  </div>
</template>

<style scoped>
.card:hover:not(.selected) {
  border-color: var(--muted);
}
.card.selected {
  box-shadow: 0 0 0 1px var(--verdigris);
}
.card.off .text {
  opacity: 0.6;
}
.eye {
  position: absolute;
  right: 4px;
  top: 4px;
  width: 22px;
  height: 20px;
  border-radius: 4px;
  background: var(--glass);
  font-size: 11px;
  opacity: 0;
}
.eye i {
  font-size: 12px;
}
.card:hover .eye,
.card:focus-within .eye,
.card.off .eye {
  opacity: 1;
}
.text {
  display: flex;
  align-items: center;
  gap: 6px;
  padding: 0 8px;
}
.text:nth-child(2) {
  padding-top: 4px;
  min-height: 38px;
  align-items: flex-start;
}
/* Two lines before a name is cut. */
.name {
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  line-clamp: 2;
  overflow: hidden;
  line-height: 1.22;
  overflow-wrap: anywhere;
}
.share {
  margin-left: auto;
  white-space: nowrap;
}
.meter {
  height: 3px;
  margin: 5px 8px 7px;
  border-radius: 2px;
  background: color-mix(in srgb, var(--ink) 12%, transparent);
}
.meter i {
  display: block;
  height: 100%;
  border-radius: 2px;
  background: var(--muted);
}
.card.selected .meter i {
  background: var(--verdigris);
}
</style>
