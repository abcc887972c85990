<script setup lang="ts">
import type { Facts } from '../api/scene'
import { useEventListener, useLocalStorage } from '@vueuse/core'
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { during, Plan } from '../rest'
import { useEyedropper } from '../controls/eyedropper'
import { useMoments } from '../stores/moments'
import { useBrackets } from '../stores/brackets'
import { useWork } from '../stores/work'
import type { CompassMarks } from './compass'
import DecalHandles from './DecalHandles.vue'
import LookLegend from './LookLegend.vue'
import MeasuringChip from './MeasuringChip.vue'
import ScaleBar from './ScaleBar.vue'
import SkyDisc from './SkyDisc.vue'
import { Packing } from './packing'
import { replay, type PenRecord } from './replay'
import { useLights } from './useLights'
import { SETUPS } from './lights'
import type { Comparison } from './comparing'
import type { Light } from './sceneLight'
import { SurfaceScene } from './surfaceScene'
import { useBrush } from './useBrush'
import { useDrop } from './useDrop'
import { useProbe } from './useProbe'
import { useCloseUp } from './useCloseUp'
import UvView from './UvView.vue'
import ViewLabel from './ViewLabel.vue'

/** `file`: address of a delivered GLB that is shown instead of the surface. */
const props = defineProps<{ compass?: CompassMarks; part?: number; file?: string }>()
const emit = defineEmits<{ part: [part: number]; opening: [now: boolean]; unopened: [] }>()
const work = useWork()
const lights = useLights()
const brackets = useBrackets()
const moments = useMoments()
watch(
  () => moments.other,
  (found) => void during('a comparison', surface.value?.compareWith(found) ?? Promise.resolve()),
)
const canvas = ref<HTMLCanvasElement>()
const surface = shallowRef<SurfaceScene>()
const perPixel = ref(0)
const frame = ref(0)
const loaded = ref(false)
const shown = ref({ title: '', size: 0 })
const light = useLocalStorage<Light>('limus.light', { azimuth: -35, elevation: 48, strength: 1 })
/** The set-up that lights it: chosen in the Review stage, kept in all of them. */
const setup = useLocalStorage('limus.setup', SETUPS[0].id)
function choose(id: string) {
  const next = lights.of(id)
  setup.value = next.id
  light.value = { ...light.value, azimuth: next.azimuth, elevation: next.elevation }
}
const straight = ref(false)
const uvOpen = ref(false)
const failed = ref('')
const mapSets = computed(() => ((work.object?.facts as Facts | undefined)?.map_sets ?? ['object']) as string[])

const load = () => during('the object', reallyLoad())
async function reallyLoad() {
  const item = work.object
  if (!surface.value || !item) return
  loaded.value = false
  try {
    await surface.value.load(`/api/objects/${item.id}/mesh.glb?v=${item.digest}`, mapSets.value)
  } catch {
    failed.value = 'The object could not be loaded. Check that the server is running, and load the page again.'
    return
  }
  failed.value = ''
  loaded.value = true
  surface.value.setCompass(props.compass)
  surface.value.highlight(props.part ?? -1)
  shown.value = { title: fit.value ? '' : 'Shape only', size: 0 }
  await put()
}
const fit = computed(() => ((work.object?.facts as Facts | undefined)?.uv as { present?: boolean })?.present !== false)
const near = computed(() => {
  const id = work.object?.id
  return (work.scene?.object.neighbours ?? [])
    .filter((n) => n.on)
    .map((n) => ({
      url: `/api/objects/${id}/neighbours/${n.id}.glb?v=${encodeURIComponent(JSON.stringify(n))}`,
      marker: n.role === 'marker',
    }))
})
/** Where one works on what stands around, and while a mask or a number is looked at. */
const marking = computed(() => work.bench === 'object' || work.look.kind !== 'lit')
watch(marking, (on) => surface.value?.showMarkers(on))
const nearKey = computed(() => near.value.map((n) => n.url).join())
watch([nearKey, () => work.saving], ([key, saving]) => {
  if (!saving && key !== nearShown) {
    nearShown = key
    void surface.value?.setNeighbours(near.value)
  }
})
let nearShown = ''
watch(
  () => props.file,
  (url) => void during('the file', open(url)),
)
async function open(url?: string) {
  emit('opening', !!url)
  try {
    await surface.value?.showFile(url)
  } catch {
    if (url !== props.file) return
    emit('unopened')
    work.notice = 'The file could not be opened in the view. Export again, and look once more.'
  } finally {
    if (url === props.file) emit('opening', false)
  }
}
watch(
  () => props.compass,
  (marks) => surface.value?.setCompass(marks),
  { deep: true },
)
watch(
  () => props.part,
  (part) => surface.value?.highlight(part ?? -1),
)
const put = () => during('the maps', reallyPut())
async function reallyPut() {
  const found = work.evaluation
  if (!surface.value || !found || !loaded.value) return
  try {
    if (found.look) await surface.value.setLook(found.look.maps)
    else if (found.maps) {
      const left = await surface.value.setMaps(found.maps)
      if (left.length) {
        const names = left.join(', ').replaceAll('_', ' ')
        work.notice =
          `This graphics card has no room for everything at once: ${names} is not shown here. ` +
          'Maps and exports have it.'
      }
    }
  } catch {
    // The server let the picture go (it was restarted, or much was done since): ask for it again.
    work.full()
    return
  }
  shown.value = { title: found.look?.title ?? 'Lit', size: found.resolution }
}

let seenFrom = ''
onMounted(() => {
  try {
    surface.value = new SurfaceScene(canvas.value!, () => new Packing(work.catalogue!.channel_list))
  } catch {
    failed.value = 'The 3D view needs WebGL 2. Switch on hardware acceleration in the browser, or try another browser.'
    return
  }
  surface.value.onFrame = () => {
    perPixel.value = surface.value!.millimetresPerPixel()
    frame.value = surface.value!.frames
    reliefShows()
    const from = JSON.stringify(surface.value!.stand()) + surface.value!.millimetresPerPixel()
    if (from !== seenFrom) close.moved()
    seenFrom = from
  }
  surface.value.lightBy(lights.of(setup.value))
  surface.value.aim(light.value)
  work.sight.eye = () => surface.value && (surface.value.camera.position.toArray() as [number, number, number])
  moments.light = {
    get: () => ({ setup: setup.value, ...light.value }),
    set: ({ setup: id, azimuth, elevation, strength }) => {
      setup.value = lights.of(id).id
      light.value = { azimuth, elevation, strength }
    },
  }
  work.sight.perPixel = () => perPixel.value
  work.sight.camera = () => surface.value?.stand()
  work.sight.look = (from) => surface.value?.standAt(from)
  brackets.camera = (found, width, height) => surface.value!.pictureOf(found, width, height)
  void load()
  nearShown = nearKey.value
  surface.value.showMarkers(marking.value)
  if (near.value.length) void surface.value.setNeighbours(near.value)
})
onBeforeUnmount(() => {
  brackets.camera = undefined
  surface.value?.dispose()
})
watch(() => [work.object?.id, work.object?.digest].join(), load)
watch(() => work.evaluation, put)
// A panorama of one's own comes out of the browser's keeping a moment later.
watch([setup, () => lights.own], ([id]) => surface.value?.lightBy(lights.of(id)))
watch(light, (value) => surface.value?.aim(value))
/** Turn the light about up, in degrees. */
function turnLight(by: number) {
  light.value = { ...light.value, azimuth: ((light.value.azimuth + by + 540) % 360) - 180 }
}
watch(straight, (on) => surface.value?.straighten(on))

/**
 * Near enough for the relief to be more than a pixel high: then the surface itself is moved by it. Wide margins, so
 * that it does not flicker.
 */
function reliefShows() {
  const range = work.evaluation?.maps?.relief_mm
  if (!range || work.look.kind !== 'lit') return
  const high = (range[1] - range[0]) / Math.max(perPixel.value, 1e-9)
  const wants = high > (work.wantsRelief ? 1.2 : 2)
  if (wants === work.wantsRelief) return
  work.wantsRelief = wants
  later.after(200, () => work.full())
}
const later = new Plan('the relief')

const close = useCloseUp(surface)
const brush = useBrush(surface, canvas)
const holding = computed(() => brush.active.value)
const { spot, said, point, leave, fromUv } = useProbe(surface)
const { dropping, dragOver, drop } = useDrop(surface, canvas)

const dropper = useEyedropper()
useEventListener(
  window,
  'keydown',
  (event: KeyboardEvent) => {
    if (event.key !== 'Escape' || !dropper.taker) return
    event.stopPropagation()
    dropper.leave()
  },
  { capture: true },
)
onBeforeUnmount(() => dropper.leave())

let downAt = [0, 0]
function press(event: PointerEvent) {
  downAt = [event.clientX, event.clientY]
}
function release(event: PointerEvent) {
  // A click, not a drag: choose the part under it.
  if (event.button !== 0 || Math.hypot(event.clientX - downAt[0], event.clientY - downAt[1]) > 3) return
  const found = surface.value?.pick(event.offsetX, event.offsetY)
  if (dropper.taker) {
    if (found) void dropper.at(found.page, found.u, found.v)
    return
  }
  emit('part', found?.part ?? -1)
}
/** While the camera moves, what lies over the view steps back. */
const moving = ref(false)
const still = new Plan('the camera')
function stir(hold = false) {
  moving.value = true
  still.off()
  if (hold) return
  still.after(500, () => {
    moving.value = false
    brackets.anew()
    // What is seen from the camera is seen anew from where it stands now.
    if (work.look.kind === 'facing') work.show({ ...work.look, eye: work.sight.eye() })
  })
}
useEventListener(canvas, 'pointerdown', () => !holding.value && stir(true))
useEventListener(window, 'pointerup', () => moving.value && stir())
defineExpose({
  frameObject: () => surface.value?.frame(props.part),
  framePart: (part: number) => surface.value?.frame(part),
  toggleUv: () => (uvOpen.value = !uvOpen.value),
  still: (...ask: Parameters<SurfaceScene['still']>) => surface.value?.still(...ask),
  compareBy: (way: Comparison, at: number, times: number) => surface.value?.compareBy(way, at, times),
  aim: (to: Partial<Light>) => (light.value = { ...light.value, ...to }),
  turnLight,
  setup,
  lightBy: choose,
  light,
  picturesInAllLights: (width: number, height: number) => surface.value?.picturesInAllLights(width, height) ?? {},
  /** Hold to turn the camera with the left button while a brush is in hand. */
  turnInstead: (on: boolean) => (brush.turning.value = on),
  replayPen: (record: PenRecord) => replay(record, canvas.value!),
})
</script>

<template>
  <section
    class="view"
    :class="{ over: dropping, moving }"
    aria-label="3D view"
    @dragover="dragOver"
    @dragleave="dropping = false"
    @drop="drop"
  >
    <canvas
      ref="canvas"
      tabindex="0"
      :class="{ holding: holding || !!dropper.taker }"
      :aria-label="
        holding
          ? 'The object. Drag to draw on it, right drag to orbit, middle drag to pan, wheel to zoom'
          : 'The object. Drag to orbit, right drag to pan, wheel to zoom'
      "
      @pointermove="point"
      @pointerleave="leave"
      @pointerdown="press"
      @pointerup="release"
      @wheel.passive="stir()"
    />

    <div class="top left">
      <ViewLabel
        v-model:close="close.on.value"
        :title="shown.title"
        :size="shown.size"
        :failed="!!failed"
        :texel="close.texel.value"
        :coming="close.coming.value"
      />
      <LookLegend v-if="work.evaluation?.look?.legend" :legend="work.evaluation.look.legend" />
      <div v-if="dropper.taker" class="chip" role="status" data-testid="eyedropper">
        {{ dropper.wrong || 'Click the object: its base color is taken.' }}
        <button type="button" class="link" @click="dropper.leave()">Cancel (Esc)</button>
      </div>
      <div v-else-if="said" class="chip probe" data-testid="probe">{{ said }}</div>
    </div>

    <div class="top right">
      <div class="chip tools">
        <button type="button" class="tool" :aria-pressed="uvOpen" @click="uvOpen = !uvOpen">UV view</button>
        <span aria-hidden="true">·</span>
        <button
          v-tooltip.bottom="'A long lens: lengths as they are'"
          type="button"
          class="tool"
          :aria-pressed="straight"
          @click="straight = !straight"
        >
          Straight-on
        </button>
        <span aria-hidden="true">·</span>
        <button v-tooltip.bottom="'Show all of it (F)'" type="button" class="tool" @click="surface?.frame(props.part)">
          Frame
        </button>
      </div>
      <UvView
        v-if="uvOpen && surface && loaded"
        :surface="surface"
        :frame="frame"
        :map-sets="mapSets"
        :spot="spot"
        :drawing="holding"
        :size="brush.sizeAt"
        :marks="work.marks"
        @hover="fromUv"
        @draw="brush.fromUv"
      />
    </div>

    <MeasuringChip v-if="work.bench === 'weather'" />
    <DecalHandles v-if="surface && loaded && canvas" :surface="surface" :frame="frame" :canvas="canvas" />
    <p v-if="failed" class="failed">{{ failed }}</p>
    <slot />
    <SkyDisc v-model="light" class="sky-disc" />
    <ScaleBar v-if="perPixel" class="scale-bar" :class="{ lifted: holding }" :per-pixel="perPixel" />
  </section>
</template>

<style scoped>
.view > .top,
.view > .sky-disc,
.view > .scale-bar {
  transition: opacity 0.15s;
}
.view.moving > .top,
.view.moving > .sky-disc,
.view.moving > .scale-bar {
  opacity: 0.25;
}
.view.over {
  box-shadow: inset 0 0 0 2px var(--verdigris);
}
.view {
  position: relative;
  min-width: 0;
  min-height: 0;
  background: var(--surround);
  overflow: hidden;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  outline-offset: -3px;
  touch-action: none;
}
canvas.holding {
  cursor: crosshair;
  outline: none;
}
.top {
  position: absolute;
  top: 12px;
  display: flex;
  flex-direction: column;
  gap: 6px;
  pointer-events: none;
}
.top > * {
  pointer-events: auto;
}
.left {
  left: 14px;
  align-items: flex-start;
}
.right {
  right: 14px;
  align-items: flex-end;
}
.tool {
  padding: 2px 0;
}
.tool:hover,
.tool[aria-pressed='true'] {
  color: var(--verdigris);
}
.tool[aria-pressed='true'] {
  font-weight: 600;
}
.failed {
  position: absolute;
  inset: 40% 15% auto;
  text-align: center;
  color: #fff;
}
.sky-disc {
  position: absolute;
  left: 14px;
  bottom: 14px;
}
.scale-bar {
  position: absolute;
  right: 16px;
  bottom: 16px;
}
.scale-bar.lifted {
  bottom: 138px;
}
</style>
