<script setup lang="ts">
import Button from 'primevue/button'
import ProgressBar from 'primevue/progressbar'
import { computed, onBeforeUnmount, ref } from 'vue'
import AddObject from '../frame/AddObject.vue'
import BracketPanel from '../brackets/BracketPanel.vue'
import { useBrackets } from '../stores/brackets'
import PhotoOver from '../photographs/PhotoOver.vue'
import PhotoPane from '../photographs/PhotoPane.vue'
import { usePhotographs } from '../stores/photographs'
import { useGuide } from '../stores/guide'
import { useWork } from '../stores/work'
import SurfaceView from '../view3d/SurfaceView.vue'
import { useShortcuts } from './useShortcuts'

/**
 * What all stages with a view have: a list at the left, the view, a sheet at the right, a band along the bottom, the
 * keys of the view, and the sheet that lists them. `acts` are the stage's own keys; `unfit` is said over the view where
 * the object has no UVs.
 */
const props = defineProps<{
  acts?: () => Record<string, () => void>
  unfit?: string
  view?: Record<string, unknown>
  /** Whether files of models can be dropped here. */
  models?: boolean
  /** Name of the stage, where nothing on it says so as a heading. */
  heading?: string
}>()
defineEmits<{ part: [part: number] }>()
const work = useWork()
const surface = ref<InstanceType<typeof SurfaceView>>()
const guide = useGuide()
const brackets = useBrackets()
const photos = usePhotographs()
// Another stage looks at other things.
onBeforeUnmount(() => brackets.leave())
const adder = ref<InstanceType<typeof AddObject>>()
const holdsFiles = (event: DragEvent) => props.models && event.dataTransfer?.types.includes('Files')
function dropped(event: DragEvent) {
  // Fields for pictures take their own.
  if (!holdsFiles(event) || event.defaultPrevented) return
  event.preventDefault()
  const files = [...(event.dataTransfer?.files ?? [])]
  if (files.some((file) => work.isModel(file.name))) adder.value?.offer(files)
}
useShortcuts(() => ({
  l: () => work.show({ kind: 'lit' }),
  f: () => surface.value?.frameObject(),
  u: () => surface.value?.toggleUv(),
  '[': () => surface.value?.turnLight(-15),
  ']': () => surface.value?.turnLight(15),
  '?': () => guide.show(),
  ...props.acts?.(),
}))
const unwrapped = computed(() => {
  const job = work.unwrapping
  const left = job?.seconds_left ? `, about ${Math.ceil(job.seconds_left)} s left` : ''
  return `${Math.round((job?.progress ?? 0) * 100)} %${left}`
})
defineExpose({
  setup: computed(() => surface.value?.setup),
  light: computed(() => surface.value?.light),
  aim: (to: Partial<{ azimuth: number; elevation: number; strength: number }>) => surface.value?.aim(to),
  lightBy: (id: string) => surface.value?.lightBy(id),
  picturesInAllLights: (width: number, height: number) => surface.value?.picturesInAllLights(width, height) ?? {},
  still: (...ask: Parameters<InstanceType<typeof SurfaceView>['still']>) => surface.value?.still(...ask),
  compareBy: (...by: Parameters<InstanceType<typeof SurfaceView>['compareBy']>) => surface.value?.compareBy(...by),
  framePart: (part: number) => surface.value?.framePart(part),
  frameObject: () => surface.value?.frameObject(),
  turnInstead: (on: boolean) => surface.value?.turnInstead(on),
  replayPen: (...record: Parameters<InstanceType<typeof SurfaceView>['replayPen']>) =>
    surface.value?.replayPen(...record),
})
</script>

<template>
  <main class="work-stage" @dragover="(e) => holdsFiles(e) && e.preventDefault()" @drop="dropped">
    <h1 v-if="heading" class="for-readers">{{ heading }}: {{ work.scene?.name }}</h1>
    <slot name="left" />
    <div class="middle" :class="{ two: photos.chosen && photos.shown === 'beside' }">
      <PhotoPane v-if="photos.chosen && photos.shown === 'beside'" />
      <SurfaceView ref="surface" v-bind="view" @part="(part) => $emit('part', part)">
        <PhotoOver v-if="photos.chosen && photos.shown === 'over'" />
        <slot name="over" />
        <div v-if="work.unwrapping" class="chip none making" role="status">
          <span>
            <b>{{ work.unwrapping.word || 'Waiting to unwrap' }}</b>
            {{ unwrapped }}
            <br />
            You can go on meanwhile.
          </span>
          <ProgressBar :value="Math.round(work.unwrapping.progress * 100)" :show-value="false" style="height: 4px" />
          <Button size="small" severity="secondary" label="Cancel" @click="work.cancelUnwrapping()" />
        </div>
        <div v-else-if="unfit && work.facts && !work.facts.uv.present" class="chip none" role="status">{{ unfit }}</div>
      </SurfaceView>
    </div>
    <slot name="sheet" />
    <slot name="below" />
    <slot />
    <BracketPanel v-if="brackets.open" />
    <AddObject v-if="models" ref="adder" />
  </main>
</template>

<style scoped>
/* The view, and a photograph beside it where one is kept there. */
.middle {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  grid-template-rows: minmax(0, 1fr);
  min-width: 0;
  min-height: 0;
}
.middle.two {
  grid-template-columns: minmax(0, 1fr) minmax(0, 1.2fr);
}
.none {
  position: absolute;
  left: 50%;
  bottom: 22px;
  transform: translateX(-50%);
  padding: 9px 14px;
}
.making {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 6px 14px;
  align-items: center;
  min-width: 380px;
}
.making > :nth-child(2) {
  grid-row: 2;
  grid-column: 1 / -1;
}
</style>
