<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { onBeforeUnmount, ref } from 'vue'
import CompareBar from '../../moments/CompareBar.vue'
import HistoryStrip from '../../moments/HistoryStrip.vue'
import { useMoments } from '../../stores/moments'
import PhotoStrip from '../../photographs/PhotoStrip.vue'
import PhotoWall from '../../photographs/PhotoWall.vue'
import { usePhotographs } from '../../stores/photographs'
import StillDialog from '../../stills/StillDialog.vue'
import { useWork } from '../../stores/work'
import { SETUPS } from '../../view3d/lights'
import StageFrame from '../StageFrame.vue'
import LightList from './LightList.vue'
import LightsBand from './LightsBand.vue'
import ReviewSheet from './ReviewSheet.vue'

/** Judge by eye: beside photographs, in every light, against what it was; and what may be wrong with it. */
const work = useWork()
const photos = usePhotographs()
const moments = useMoments()
onBeforeUnmount(() => moments.release())
const view = ref<InstanceType<typeof StageFrame>>()
const band = ref<'photographs' | 'lights' | 'history'>('photographs')
const wall = ref(false)
const stills = ref(false)
work.serve('weather')
const acts = () =>
  Object.fromEntries(SETUPS.map((one, k) => [String(k + 1), () => view.value?.lightBy(one.id)] as const))
const files = (from?: DataTransfer | null) => [...(from?.files ?? [])].filter((file) => !work.isModel(file.name))
function drop(event: DragEvent) {
  const given = files(event.dataTransfer)
  if (!given.length) return
  event.preventDefault()
  band.value = 'photographs'
  void photos.add(given)
}
useEventListener(window, 'paste', (event: ClipboardEvent) => {
  const given = files(event.clipboardData)
  if (given.length) void photos.add(given)
})
</script>

<template>
  <StageFrame
    ref="view"
    heading="Review"
    :acts="acts"
    style="--band: 168px"
    @dragover="(e: DragEvent) => e.dataTransfer?.types.includes('Files') && e.preventDefault()"
    @drop="drop"
  >
    <template #left>
      <LightList
        :chosen="view?.setup ?? ''"
        :light="view?.light"
        @choose="(id) => view?.lightBy(id)"
        @aim="(to) => view?.aim(to)"
      />
    </template>
    <template #over>
      <CompareBar v-if="moments.held" @by="(way, at, times) => view?.compareBy(way, at, times)" />
    </template>
    <template #sheet><ReviewSheet @part="(part) => view?.framePart(part)" /></template>
    <template #below>
      <div class="below two">
        <nav class="choice" aria-label="Band">
          <button type="button" :aria-pressed="band === 'photographs'" @click="band = 'photographs'">
            Photographs
          </button>
          <button type="button" :aria-pressed="band === 'history'" @click="band = 'history'">History</button>
          <button type="button" :aria-pressed="band === 'lights'" @click="band = 'lights'">In all lights</button>
          <button type="button" class="link still" @click="stills = true">Picture or film of the view…</button>
        </nav>
        <PhotoStrip v-if="band === 'photographs'" @wall="wall = true" />
        <HistoryStrip v-else-if="band === 'history'" />
        <LightsBand
          v-else
          :chosen="view?.setup ?? ''"
          :pictures="(width, height) => view?.picturesInAllLights(width, height) ?? {}"
          @choose="(id) => view?.lightBy(id)"
        />
      </div>
    </template>
    <StillDialog v-model:visible="stills" :take="(...ask) => view?.still(...ask)" />
    <PhotoWall v-model:visible="wall" />
  </StageFrame>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  min-height: 0;
}
.choice {
  display: flex;
  gap: 18px;
  padding: 5px 14px 0;
}
.choice button {
  color: var(--muted);
  padding-bottom: 3px;
  border-bottom: 2px solid transparent;
}
.choice .still {
  margin-left: auto;
  color: var(--verdigris);
}
.choice button[aria-pressed='true'] {
  color: var(--ink);
  font-weight: 600;
  border-bottom-color: var(--verdigris);
}
</style>
