<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { ref } from 'vue'
import { useWork } from '../../stores/work'
import StageFrame from '../StageFrame.vue'
import { useHandKeys } from '../useHandKeys'
import { useHand } from '../../stores/hand'
import BrushBar from '../../recipe/BrushBar.vue'
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
const handActs = useHandKeys((on) => view.value?.turnInstead(on))
const acts = () => {
  return {
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
    ...handActs(),
  }
}
useEventListener(window, 'keyup', (event: KeyboardEvent) => {
  if (event.key.toLowerCase() === 'b') work.peek(false)
})
useEventListener(window, 'blur', () => work.peek(false))
</script>

<template>
  <StageFrame ref="view" heading="Weather" models :acts="acts">
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
