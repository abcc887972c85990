<script setup lang="ts">
import Slider from 'primevue/slider'
import { useIntervalFn } from '@vueuse/core'
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import type { Comparison } from '../view3d/comparing'
import { useMoments, type Way } from '../stores/moments'

/** What is held against the surface as it is now, and how: a line that is dragged over the view, side by side, in turn, or what differs. */
const emit = defineEmits<{ by: [way: Comparison, at: number, times: number] }>()
const moments = useMoments()
const WAYS: [Way, string][] = [
  ['wipe', 'Wipe'],
  ['side', 'Side by side'],
  ['blink', 'Blink'],
  ['difference', 'Difference'],
]
const then = ref(true)
const blink = useIntervalFn(() => (then.value = !then.value), 700, { immediate: false })
watch(
  () => moments.way === 'blink' && moments.comparing,
  (on) => (on ? blink.resume() : blink.pause()),
  { immediate: true },
)
onBeforeUnmount(() => blink.pause())
const line = computed(() => (moments.way === 'blink' ? (then.value ? 1 : 0) : moments.at))
watch(
  [() => moments.way, line, () => moments.times, () => moments.other],
  () => emit('by', moments.way === 'blink' ? 'wipe' : moments.way, line.value, moments.times),
  { immediate: true, flush: 'post' },
)
const area = ref<HTMLElement>()
function drag(event: PointerEvent) {
  if (event.type === 'pointerdown') (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
  else if (!(event.buttons & 1)) return
  const box = area.value!.getBoundingClientRect()
  moments.at = Math.min(1, Math.max(0, (event.clientX - box.left) / box.width))
}
function key(event: KeyboardEvent) {
  const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[event.key]
  if (by === undefined) return
  event.preventDefault()
  moments.at = Math.min(1, Math.max(0, moments.at + by))
}
</script>

<template>
  <div ref="area" class="compare">
    <div
      v-if="moments.way === 'wipe' && moments.comparing"
      class="line"
      tabindex="0"
      role="slider"
      aria-label="Line between then and now"
      aria-valuemin="0"
      aria-valuemax="100"
      :aria-valuenow="Math.round(moments.at * 100)"
      :style="{ left: `${moments.at * 100}%` }"
      @pointerdown="drag"
      @pointermove="drag"
      @keydown="key"
    >
      <i />
    </div>
    <div class="chip bar" role="group" aria-label="Then and now">
      <b class="clip">{{ moments.held?.title }}</b>
      <span class="muted">
        {{ !moments.comparing ? 'coming' : moments.way === 'difference' ? '' : 'left, now right' }}
      </span>
      <button
        v-for="[name, title] in WAYS"
        :key="name"
        type="button"
        class="press"
        :aria-pressed="moments.way === name"
        @click="moments.way = name"
      >
        {{ title }}
      </button>
      <label v-if="moments.way === 'difference'">
        white is {{ Math.round(100 / moments.times) }} % apart
        <Slider
          :model-value="moments.times"
          :min="1"
          :max="20"
          aria-label="How strongly a difference shows"
          @update:model-value="(v) => (moments.times = Number(v))"
        />
      </label>
      <button type="button" aria-label="Leave the comparison" @click="moments.release()">
        <i class="pi pi-times" />
      </button>
    </div>
  </div>
</template>

<style scoped>
.compare {
  position: absolute;
  inset: 0;
  pointer-events: none;
  overflow: hidden;
}
.line {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 18px;
  margin-left: -9px;
  cursor: ew-resize;
  pointer-events: auto;
  touch-action: none;
}
.line i {
  position: absolute;
  left: 8px;
  top: 0;
  bottom: 0;
  width: 2px;
  background: var(--panel);
  box-shadow: 0 0 2px #0008;
}
.bar {
  position: absolute;
  left: 12px;
  right: 12px;
  top: 52px;
  width: fit-content;
  margin: 0 auto;
  display: flex;
  flex-wrap: wrap;
  justify-content: center;
  align-items: center;
  gap: 5px 10px;
  padding: 6px 12px;
  pointer-events: auto;
}
.bar label {
  display: grid;
  grid-template-columns: auto 80px;
  gap: 10px;
  align-items: center;
  white-space: nowrap;
}
</style>
