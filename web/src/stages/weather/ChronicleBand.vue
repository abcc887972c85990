<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref, watch, nextTick } from 'vue'
import { VueDraggable } from 'vue-draggable-plus'
import type { Layer } from '../../api/scene'
import { useWork } from '../../stores/work'
import EffectPicker from './EffectPicker.vue'
import LayerCard from './LayerCard.vue'

/** What happened to the surface, from left to right. The hairline plays the story back. */
const work = useWork()
const emit = defineEmits<{ rename: [] }>()
const STEP = 126 // a card and its gap
const LEFT = 24

const layers = ref<Layer[]>([])
watch(
  () => work.scene?.layers,
  (now) => (layers.value = [...(now ?? [])]),
  { immediate: true, deep: 1 },
)
function dropped() {
  const order = layers.value.map((l) => l.id).join()
  if (order === work.scene?.layers.map((l) => l.id).join()) return
  work.edit('Move layer', (now) => (now.layers = layers.value.map((l) => now.layers.find((x) => x.id === l.id)!)))
}

const band = ref<HTMLElement>()
const { width } = useElementSize(band)
const scrolled = ref(0)
const count = computed(() => layers.value.length)
/** How many layers have happened at the hairline. */
const at = computed(() => {
  if (work.until === null) return count.value
  return work.until === '' ? 0 : layers.value.findIndex((l) => l.id === work.until) + 1
})
const hair = computed(() => LEFT + at.value * STEP - (at.value > 0 ? 4 : 12) - scrolled.value)
function goTo(n: number) {
  const k = Math.min(count.value, Math.max(0, n))
  work.playTo(k === count.value ? null : k === 0 ? '' : layers.value[k - 1].id)
}
const dragging = ref(false)
function pull(event: PointerEvent) {
  if (!dragging.value) return
  const box = band.value!.getBoundingClientRect()
  goTo(Math.round((event.clientX - box.left + scrolled.value - LEFT) / STEP))
}
function grab(event: PointerEvent) {
  dragging.value = true
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  pull(event)
}
function release() {
  if (!dragging.value) return
  dragging.value = false
  work.full()
}
function key(event: KeyboardEvent) {
  const to = { ArrowLeft: at.value - 1, ArrowRight: at.value + 1, Home: 0, End: count.value }[event.key]
  if (to === undefined) return
  event.preventDefault()
  event.stopPropagation()
  goTo(to)
  work.full()
}
const words = computed(() =>
  at.value === count.value ? 'today' : at.value === 0 ? 'as made' : `after ${layers.value[at.value - 1].name}`,
)

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
    <div class="axis" @pointerdown="grab" @pointermove="pull" @pointerup="release" @pointercancel="release">
      <button type="button" class="muted" @pointerdown.stop @click="(goTo(0), work.full())">As made</button>
      <i />
      <button type="button" class="muted" @pointerdown.stop @click="(goTo(count), work.full())">Today</button>
    </div>
    <div ref="band" class="band" @scroll="scrolled = band!.scrollLeft">
      <VueDraggable
        v-model="layers"
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
        <LayerCard
          v-for="(layer, k) in layers"
          :key="layer.id"
          :layer="layer"
          :index="k"
          :count="count"
          :later="k >= at"
          @rename="emit('rename')"
        />
      </VueDraggable>
      <button type="button" class="next" data-testid="add-layer" @click="picker?.open()">Add what happened next</button>
    </div>
    <div
      v-show="hair > 0 && hair < width + 8"
      class="hair"
      :style="{ left: `${hair}px` }"
      role="slider"
      tabindex="0"
      aria-label="Moment of the story"
      :aria-valuenow="at"
      aria-valuemin="0"
      :aria-valuemax="count"
      :aria-valuetext="words"
      @pointerdown="grab"
      @pointermove="pull"
      @pointerup="release"
      @pointercancel="release"
      @keydown="key"
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
.axis {
  display: flex;
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
.band {
  display: flex;
  gap: 8px;
  overflow-x: auto;
  padding: 4px 24px 10px;
  scrollbar-width: thin;
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
