<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { ref } from 'vue'
import { useWork } from '../../stores/work'
import StageFrame from '../StageFrame.vue'
import { useHand } from '../../stores/hand'
import BrushBar from './BrushBar.vue'
import ChronicleBand from './ChronicleBand.vue'
import EpisodeSheet from './EpisodeSheet.vue'
import LayerSheet from './LayerSheet.vue'
import LookList from './LookList.vue'

const work = useWork()
const hand = useHand()
const view = ref<InstanceType<typeof StageFrame>>()
const sheet = ref<InstanceType<typeof LayerSheet>>()
const episode = ref<InstanceType<typeof EpisodeSheet>>()
const band = ref<InstanceType<typeof ChronicleBand>>()
work.serve('weather')

function neighbour(by: number) {
  const layers = work.scene?.layers ?? []
  const k = layers.findIndex((l) => l.id === work.selectedId)
  const next = layers[Math.min(layers.length - 1, Math.max(0, k + by))]
  if (next) work.select(next.id)
}
// Before fields that keep Escape to themselves; what lies open over them goes first.
useEventListener(
  window,
  'keydown',
  (event: KeyboardEvent) => {
    if (event.key !== 'Escape' || !hand.tool) return
    if (document.querySelector('.p-select-overlay, .p-popover, .p-menu-overlay, .p-dialog')) return
    event.preventDefault()
    hand.put()
  },
  { capture: true },
)
const acts = () => {
  const act: Record<string, () => void> = {
    // Where it may be, where it acted, and back.
    m: () => {
      const next = work.look.kind === 'mask' ? 'acted' : work.look.kind === 'acted' ? 'lit' : 'mask'
      if (work.selected?.on) work.show(next === 'lit' ? { kind: next } : { kind: next, layer: work.selectedId })
    },
    p: () => work.look.kind !== 'lit' && (work.pinned = !work.pinned),
    b: () => work.peek(true),
    a: () => band.value?.add(),
    ',': () => neighbour(-1),
    '.': () => neighbour(1),
    h: () => (hand.tool === 'paint' ? hand.put() : hand.take('paint')),
    i: () => (hand.tool === 'fill' ? hand.put() : hand.take('fill')),
  }
  if (hand.tool) {
    const resize = (by: number) => {
      if (hand.sizeIn === 'px') hand.pixels = Number((hand.pixels * by).toPrecision(3))
      else hand.set('size_mm', Number(Math.min(100000, Math.max(0.05, hand.size * by)).toPrecision(3)))
    }
    Object.assign(act, {
      t: () => (hand.takes = !hand.takes),
      '+': () => resize(1.15),
      '-': () => resize(1 / 1.15),
      ' ': () => view.value?.turnInstead(true),
    })
  }
  return act
}
useEventListener(window, 'keyup', (event: KeyboardEvent) => {
  if (event.key.toLowerCase() === 'b') work.peek(false)
  if (event.key === ' ') view.value?.turnInstead(false)
})
useEventListener(window, 'blur', () => {
  work.peek(false)
  view.value?.turnInstead(false)
})
</script>

<template>
  <StageFrame ref="view" heading="Weather" :acts="acts">
    <template #left>
      <LookList @add="(name, size) => (work.episode ? episode : sheet)?.addReading(name, size)" />
    </template>
    <template #over><BrushBar v-if="hand.tool" @replay="(record) => view?.replayPen(record)" /></template>
    <template #sheet>
      <EpisodeSheet v-if="work.episode" ref="episode" />
      <LayerSheet v-else ref="sheet" />
    </template>
    <template #below><ChronicleBand ref="band" class="below" @rename="sheet?.rename()" /></template>
  </StageFrame>
</template>
