<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { ref } from 'vue'
import ShortcutSheet from '../../frame/ShortcutSheet.vue'
import { useWork } from '../../stores/work'
import SurfaceView from '../../view3d/SurfaceView.vue'
import { useStageKeys } from '../useStageKeys'
import { useHand } from '../../stores/hand'
import BrushBar from './BrushBar.vue'
import ChronicleBand from './ChronicleBand.vue'
import EpisodeSheet from './EpisodeSheet.vue'
import LayerSheet from './LayerSheet.vue'
import LookList from './LookList.vue'

const work = useWork()
const hand = useHand()
const view = ref<InstanceType<typeof SurfaceView>>()
const sheet = ref<InstanceType<typeof LayerSheet>>()
const episode = ref<InstanceType<typeof EpisodeSheet>>()
const band = ref<InstanceType<typeof ChronicleBand>>()
const shortcuts = ref(false)
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
useStageKeys(() => {
  const act: Record<string, () => void> = {
    l: () => work.show({ kind: 'lit' }),
    m: () =>
      work.selected?.on &&
      work.show(work.look.kind === 'mask' ? { kind: 'lit' } : { kind: 'mask', layer: work.selectedId }),
    p: () => work.look.kind !== 'lit' && (work.pinned = !work.pinned),
    b: () => work.peek(true),
    f: () => view.value?.frameObject(),
    u: () => view.value?.toggleUv(),
    a: () => band.value?.add(),
    ',': () => neighbour(-1),
    '.': () => neighbour(1),
    h: () => (hand.tool === 'paint' ? hand.put() : hand.take('paint')),
    i: () => (hand.tool === 'fill' ? hand.put() : hand.take('fill')),
    '?': () => (shortcuts.value = true),
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
})
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
  <main class="work-stage">
    <LookList @add="(name, size) => (work.episode ? episode : sheet)?.addReading(name, size)" />
    <SurfaceView ref="view">
      <BrushBar v-if="hand.tool" @replay="(record) => view?.replayPen(record)" />
    </SurfaceView>
    <EpisodeSheet v-if="work.episode" ref="episode" />
    <LayerSheet v-else ref="sheet" />
    <ChronicleBand ref="band" class="below" @rename="sheet?.rename()" />
    <ShortcutSheet v-model:visible="shortcuts" />
  </main>
</template>
