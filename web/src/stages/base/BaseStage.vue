<script setup lang="ts">
import { ref } from 'vue'
import ShortcutSheet from '../../frame/ShortcutSheet.vue'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'
import SurfaceView from '../../view3d/SurfaceView.vue'
import { useStageKeys } from '../useStageKeys'
import BaseList from './BaseList.vue'
import BaseSheet from './BaseSheet.vue'
import GuessBar from './GuessBar.vue'
import MapIntake from './MapIntake.vue'
import StoreRoom from './StoreRoom.vue'

/** What the object is made of, before anything happened to it. */
const work = useWork()
const bases = useBases()
const view = ref<InstanceType<typeof SurfaceView>>()
const intake = ref<InstanceType<typeof MapIntake>>()
const shortcuts = ref(false)
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
useStageKeys(() => ({
  l: () => work.show({ kind: 'lit' }),
  f: () => view.value?.frameObject(),
  u: () => view.value?.toggleUv(),
  ',': () => (bases.chosen = Math.max(0, bases.chosen - 1)),
  '.': () => (bases.chosen = Math.min(bases.bases.length - 1, bases.chosen + 1)),
  '?': () => (shortcuts.value = true),
}))
</script>

<template>
  <main
    class="work-stage"
    @dragover="(e) => holdsFiles(e) && (e.preventDefault(), (over = true))"
    @dragleave.self="over = false"
    @drop="(e) => holdsFiles(e) && (e.preventDefault(), drop(e))"
  >
    <BaseList />
    <SurfaceView ref="view" @part="pick">
      <GuessBar />
      <div v-if="over" class="dropping" role="status">Drop the texture files of one material</div>
      <div v-if="work.facts && !work.facts.uv.present" class="chip none" role="status">
        No UVs yet: unwrap the object in the Object stage first.
      </div>
    </SurfaceView>
    <BaseSheet @maps="intake?.open([])" />
    <StoreRoom class="below" @maps="intake?.open([])" />
    <MapIntake ref="intake" />
    <ShortcutSheet v-model:visible="shortcuts" />
  </main>
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
.none {
  position: absolute;
  left: 50%;
  bottom: 22px;
  transform: translateX(-50%);
  padding: 9px 14px;
}
</style>
