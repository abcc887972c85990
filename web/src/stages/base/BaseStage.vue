<script setup lang="ts">
import { ref } from 'vue'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'
import BrushBar from '../../recipe/BrushBar.vue'
import { useHand } from '../../stores/hand'
import StageFrame from '../StageFrame.vue'
import { useHandKeys } from '../useHandKeys'
import BaseList from './BaseList.vue'
import BaseSheet from './BaseSheet.vue'
import GuessBar from './GuessBar.vue'
import MapIntake from './MapIntake.vue'
import StoreRoom from './StoreRoom.vue'

/** What the object is made of, before anything happened to it. */
const work = useWork()
const bases = useBases()
const intake = ref<InstanceType<typeof MapIntake>>()
const over = ref(false)
work.serve('base')

/** A click on the object chooses the base that its part is made of. */
function pick(part: number) {
  const name = work.parts[part]
  if (!name) return
  let k = -1
  bases.bases.forEach((b, n) => {
    if (!b.where && b.parts?.includes(name)) k = n
  })
  bases.chosen =
    k >= 0
      ? k
      : Math.max(
          0,
          bases.bases.findIndex((b) => !b.parts && !b.where),
        )
}
const holdsFiles = (event: DragEvent) => event.dataTransfer?.types.includes('Files') ?? false
function drop(event: DragEvent) {
  over.value = false
  intake.value?.open([...(event.dataTransfer?.files ?? [])])
}
const hand = useHand()
const view = ref<InstanceType<typeof StageFrame>>()
const handActs = useHandKeys((on) => view.value?.turnInstead(on))
const acts = () => ({
  m: () => {
    if (work.maskedBase >= 0)
      work.show(work.look.kind === 'mask' ? { kind: 'lit' } : { kind: 'mask', layer: work.focus })
  },
  ...handActs(),
  ',': () => (bases.chosen = Math.max(0, bases.chosen - 1)),
  '.': () => (bases.chosen = Math.min(bases.bases.length - 1, bases.chosen + 1)),
})
</script>

<template>
  <StageFrame
    ref="view"
    heading="Base"
    :acts="acts"
    unfit="No UVs yet: unwrap the object in the Object stage first."
    @part="pick"
    @dragover="(e: DragEvent) => holdsFiles(e) && (e.preventDefault(), (over = true))"
    @dragleave.self="over = false"
    @drop="(e: DragEvent) => holdsFiles(e) && (e.preventDefault(), drop(e))"
  >
    <template #left><BaseList /></template>
    <template #over>
      <BrushBar v-if="hand.tool" @replay="(record) => view?.replayPen(record)" />
      <GuessBar v-else />
      <div v-if="over" class="dropping" role="status">Drop the texture files of one material</div>
    </template>
    <template #sheet><BaseSheet @maps="intake?.open([])" /></template>
    <template #below><StoreRoom class="below" @maps="intake?.open([])" /></template>
    <MapIntake ref="intake" />
  </StageFrame>
</template>

<style scoped>
.dropping {
  position: absolute;
  inset: 12px;
  display: grid;
  place-items: center;
  border: 2px dashed var(--verdigris);
  border-radius: 6px;
  background: color-mix(in srgb, var(--tint) 82%, transparent);
  font-size: 15px;
  pointer-events: none;
}
</style>
