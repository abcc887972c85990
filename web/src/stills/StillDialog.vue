<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import ProgressBar from 'primevue/progressbar'
import Select from 'primevue/select'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref, watch } from 'vue'
import { useBrackets } from '../stores/brackets'
import { during } from '../rest'
import { useWork } from '../stores/work'
import { RATE } from './rate'
import type { Marks } from '../view3d/stillMarks'

/** Pictures and films of the view, as it is seen: to show, and to keep. */
const visible = defineModel<boolean>('visible', { required: true })
const props = defineProps<{
  /** Draw the view, this size, turned by some degrees about up; another answer than the one shown where one is given. */
  take: (width: number, clear: boolean, marks: Omit<Marks, 'perPixel'>, turn?: number) => HTMLCanvasElement | undefined
}>()
const work = useWork()
const brackets = useBrackets()
const WHAT = [
  { value: 'still', label: 'A still' },
  { value: 'turn', label: 'A turn all round' },
  { value: 'years', label: 'Through the years' },
]
const what = ref('still')
const width = ref(2048)
const widths = computed(() => (what.value === 'still' ? [1024, 2048, 3072, 4096] : [640, 960, 1280, 1920]))
watch(what, () => (width.value = what.value === 'still' ? 2048 : 960))
const seconds = ref(6)
const clear = ref(false)
const scale = ref(true)
const caption = ref('')
watch(visible, (on) => on && (caption.value = work.scene?.name ?? ''))
const progress = ref(-1)
const wrong = ref('')
let run = 0

function save(blob: Blob, ending: string) {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(blob)
  link.download = `${(work.scene?.name ?? 'surface').replace(/[^\p{L}\p{N} _-]/gu, '').trim() || 'surface'}.${ending}`
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 30_000)
}
async function go() {
  const mine = ++run
  wrong.value = ''
  progress.value = 0
  try {
    if (what.value === 'still') await still()
    else
      await during(
        'a film',
        film(() => mine === run),
      )
  } catch (error) {
    wrong.value = error instanceof Error ? error.message : 'It could not be made.'
  }
  if (mine === run) progress.value = -1
}
async function still() {
  const paper = props.take(width.value, clear.value, { scale: scale.value, caption: caption.value })
  if (!paper) throw new Error('There is no view to take a picture of.')
  const blob = await new Promise<Blob | null>((done) => paper.toBlob(done, 'image/png'))
  if (!blob) throw new Error('The browser has no room for a picture of this size: choose a smaller one.')
  save(blob, 'png')
}
async function film(wanted: () => boolean) {
  // What encodes films is large, and loaded by whoever wants one.
  const { filmOf } = await import('./film')
  const marks = { scale: scale.value, caption: caption.value }
  const first = props.take(width.value, false, marks)
  if (!first) throw new Error('There is no view to take a film of.')
  const paper = document.createElement('canvas')
  // Codecs want even sides.
  paper.width = first.width & ~1
  paper.height = first.height & ~1
  const pen = paper.getContext('2d')!
  const frames = Math.round(seconds.value * RATE)
  const years = work.today
  let shownYear = -1
  const draw = async (frame: number) => {
    if (what.value === 'years') {
      // A year of the story for some frames: each is evaluated.
      const steps = Math.min(frames, 40)
      const year = (Math.floor((frame * steps) / frames) / (steps - 1)) * years
      if (year !== shownYear) {
        shownYear = year
        const found = await work.aside({
          set: { values: { year: year >= years ? null : Number(year.toFixed(2)) }, drop: [] },
          size: Math.min(work.size, 512),
          until: null,
          wanted,
        })
        if (!found || !brackets.camera) return
        const image = new Image()
        image.src = await brackets.camera(found, paper.width, paper.height)
        await image.decode()
        pen.drawImage(image, 0, 0)
      }
      return
    }
    const picture = props.take(width.value, false, marks, (360 * frame) / frames)
    if (picture) pen.drawImage(picture, 0, 0)
  }
  const blob = await filmOf(paper, frames, draw, (share) => (progress.value = share), wanted)
  if (blob) save(blob, blob.type === 'video/mp4' ? 'mp4' : 'webm')
}
function stop() {
  run++
  progress.value = -1
}
watch(visible, (on) => !on && stop())
</script>

<template>
  <Dialog v-model:visible="visible" header="Picture of the view" class="still" position="right" :modal="false">
    <form class="fields" @submit.prevent="go">
      <label for="still-what">What</label>
      <Select
        v-model="what"
        input-id="still-what"
        size="small"
        :options="WHAT"
        option-label="label"
        option-value="value"
        aria-label="What"
      />
      <label for="still-width">Width</label>
      <Select v-model="width" input-id="still-width" size="small" :options="widths" aria-label="Width in pixels" />
      <template v-if="what !== 'still'">
        <label for="still-seconds">Seconds</label>
        <Select
          v-model="seconds"
          input-id="still-seconds"
          size="small"
          :options="[2, 4, 6, 10, 20]"
          aria-label="Seconds"
        />
      </template>
      <template v-else>
        <label for="still-clear">Without ground</label>
        <ToggleSwitch v-model="clear" input-id="still-clear" />
      </template>
      <template v-if="what !== 'years'">
        <label for="still-scale">Scale bar</label>
        <ToggleSwitch v-model="scale" input-id="still-scale" />
        <label for="still-caption">Caption</label>
        <InputText id="still-caption" v-model="caption" size="small" maxlength="120" />
      </template>
    </form>
    <p v-if="wrong" class="trouble" role="alert">{{ wrong }}</p>
    <ProgressBar v-if="progress >= 0 && what !== 'still'" :value="Math.round(progress * 100)" aria-label="Film made" />
    <div class="acts">
      <Button v-if="progress < 0" size="small" label="Save it" @click="go" />
      <Button v-else size="small" severity="secondary" label="Cancel" @click="stop" />
    </div>
  </Dialog>
</template>

<style scoped>
.fields {
  display: grid;
  grid-template-columns: 110px 210px;
  gap: 8px 10px;
  align-items: center;
}
.acts {
  display: flex;
  justify-content: flex-end;
  padding-top: 12px;
}
.trouble {
  color: var(--oxide);
  max-width: 330px;
}
</style>
