<script setup lang="ts">
import { OUTSIDE } from '../stores/outside'
import InputNumber from 'primevue/inputnumber'
import Popover from 'primevue/popover'
import Select from 'primevue/select'
import SelectButton from 'primevue/selectbutton'
import Slider from 'primevue/slider'
import { computed, provide, ref } from 'vue'
import FieldList from '../controls/FieldList.vue'
import BrushShelf from './BrushShelf.vue'
import { length } from '../figures/format'
import { useHand, type Target } from '../stores/hand'
import { useWork } from '../stores/work'
import { penRecord, type PenRecord } from '../view3d/replay'

/** The brush in hand, over the view: what it does, its size, and everything else behind one button. */
const hand = useHand()
const work = useWork()
const emit = defineEmits<{ replay: [record: PenRecord] }>()
const more = ref<InstanceType<typeof Popover>>()
const chooser = ref<HTMLInputElement>()

const ACTIONS = [
  { label: 'Add', value: false },
  { label: 'Take away', value: true },
]
const targets = computed(() => [
  ...(work.inHand ? [{ value: 'mask', label: `Mask of ${work.inHand.name}` }] : []),
  ...(hand.target === 'line' ? [{ value: 'line', label: 'Line to measure from' }] : []),
  ...(['R', 'G', 'B', 'A'] as const).map((c) => ({
    value: c,
    label: `Vertex colour ${{ R: 'red', G: 'green', B: 'blue', A: 'alpha' }[c]}`,
  })),
])
const MIRRORS = [
  { value: 'none', label: 'No mirror' },
  { value: 'x', label: 'Mirror left–right' },
  { value: 'y', label: 'Mirror top–bottom' },
  { value: 'z', label: 'Mirror front–back' },
]
const REACHES = [
  { value: 'surface', label: 'What hangs together' },
  { value: 'front', label: 'All that faces it' },
  { value: 'through', label: 'Through to the back' },
]
const FACINGS = [
  { value: 'surface', label: 'On the surface' },
  { value: 'camera', label: 'Across the line of sight' },
]
const FILLS = [
  { value: 'connected', label: 'Connected faces' },
  { value: 'polygon', label: 'Flat face' },
  { value: 'island', label: 'UV island' },
  { value: 'part', label: 'Part' },
]
/** From 1 to 1000 by ratio. */
const sizePlace = computed({
  get: () => (Math.log10(Math.max(1, hand.sizeIn === 'mm' ? hand.size : hand.pixels)) / 3) * 1000,
  set: (place: number) => {
    const value = Number((10 ** ((place / 1000) * 3)).toPrecision(3))
    if (hand.sizeIn === 'mm') hand.set('size_mm', value)
    else hand.pixels = value
  },
})
const amount = computed({
  get: () => (hand.sizeIn === 'mm' ? hand.size : hand.pixels),
  set: (value: number | null) => {
    if (!value) return
    if (hand.sizeIn === 'mm') hand.set('size_mm', value)
    else hand.pixels = value
  },
})
const coarse = computed(() => {
  if (!'RGBA'.includes(hand.target) || hand.sizeIn === 'px') return ''
  const edge = work.facts?.longest_edge_mm ?? 0
  return edge > hand.size / 2 ? length(edge / 1000) : ''
})
/** Cut the mesh finer, so that the vertices can hold what is painted. */
function finer() {
  const wanted = Number(Math.max(hand.size / 3, 0.5).toPrecision(2))
  void work.editObject('Subdivide', (scene) => (scene.object.subdivide_mm = wanted))
}
const hints = computed(() =>
  [
    hand.tool === 'paint' ? 'Drag to draw · Shift for a straight line from the last one' : '',
    hand.target === 'line' ? '' : 'Ctrl the other way round',
    'right drag turns the object',
  ]
    .filter(Boolean)
    .join(' · '),
)
async function recorded(event: Event) {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file) return
  more.value?.hide()
  try {
    emit('replay', penRecord(await file.text()))
  } catch (error) {
    work.trouble = error instanceof Error ? error.message : 'The record cannot be read.'
  }
}
const MORE = [
  'spacing', 'shape', 'picture', 'scatter', 'turn', 'angle_deg', 'pressure_size', 'pressure_flow', 'tilt_wide',
] // prettier-ignore
provide(OUTSIDE, true)
</script>

<template>
  <div class="bar" role="toolbar" aria-label="Brush" data-testid="brush-bar">
    <div class="line">
      <Select
        class="target"
        size="small"
        :model-value="hand.target"
        :options="hand.tool === 'fill' ? targets.slice(0, 1) : targets"
        option-label="label"
        option-value="value"
        aria-label="What it works on"
        @update:model-value="(v: Target) => hand.take('paint', v)"
      />
      <SelectButton
        v-if="hand.target !== 'line'"
        v-model="hand.takes"
        size="small"
        :options="ACTIONS"
        option-label="label"
        option-value="value"
        :allow-empty="false"
        aria-label="Add or take away"
      />
      <template v-if="hand.tool === 'paint'">
        <BrushShelf />
        <Select
          v-model="hand.mirror"
          class="mirror roomy"
          size="small"
          :options="MIRRORS"
          option-label="label"
          option-value="value"
          aria-label="Mirror"
        />
        <button type="button" class="link" aria-haspopup="dialog" @click="(e) => more?.toggle(e)">More…</button>
      </template>
      <span class="fill" />
      <button type="button" class="done" @click="hand.put()">
        Done
        <kbd>Esc</kbd>
      </button>
    </div>
    <div v-if="hand.target === 'line'" class="line muted">
      Draw on the object: the distance is measured from this line. More pieces may follow.
    </div>
    <div v-else-if="hand.tool === 'paint'" class="line">
      <label for="brush-size">Size</label>
      <Slider v-model="sizePlace" :min="0" :max="1000" class="slide" aria-label="Size of the brush" />
      <InputNumber
        v-model="amount"
        input-id="brush-size"
        size="small"
        class="number"
        :min="0.05"
        :max="100000"
        :max-fraction-digits="1"
        :use-grouping="false"
      />
      <button
        v-tooltip.top="'Millimetres on the object, or pixels of the view'"
        type="button"
        class="unit"
        @click="hand.sizeIn = hand.sizeIn === 'mm' ? 'px' : 'mm'"
      >
        {{ hand.sizeIn }}
      </button>
      <label id="brush-hardness">Hardness</label>
      <Slider
        :model-value="Number(hand.settings.hardness) * 100"
        class="slide short"
        aria-labelledby="brush-hardness"
        @update:model-value="(v) => hand.set('hardness', (v as number) / 100)"
      />
      <label id="brush-flow">Flow</label>
      <Slider
        :model-value="Number(hand.settings.flow) * 100"
        :min="1"
        class="slide short"
        aria-labelledby="brush-flow"
        @update:model-value="(v) => hand.set('flow', (v as number) / 100)"
      />
    </div>
    <div v-else class="line">
      <label for="fill-what">Fill</label>
      <Select
        v-model="hand.fillWhat"
        input-id="fill-what"
        size="small"
        :options="FILLS"
        option-label="label"
        option-value="value"
      />
      <template v-if="hand.fillWhat === 'connected'">
        <label for="fill-angle">up to a bend of</label>
        <InputNumber
          v-model="hand.fillAngle"
          input-id="fill-angle"
          size="small"
          class="number"
          :min="0"
          :max="180"
          suffix="°"
        />
      </template>
      <span class="muted">Click on the object.</span>
    </div>
    <p v-if="coarse" class="hint">
      Edges are up to {{ coarse }} long: the vertices are too far apart for this brush.
      <button type="button" class="link" @click="finer">Subdivide the object</button>
    </p>
    <p class="hint muted">
      {{ hints }}
    </p>
    <Popover ref="more">
      <div class="popover">
        <FieldList
          v-if="work.catalogue"
          :schema="work.catalogue.brush"
          :values="hand.settings"
          :only="MORE"
          @drag="(name, value) => hand.set(name, value)"
        />
        <div class="pair tight">
          <label for="brush-mirror">Mirror</label>
          <Select
            v-model="hand.mirror"
            input-id="brush-mirror"
            size="small"
            :options="MIRRORS"
            option-label="label"
            option-value="value"
          />
        </div>
        <div class="pair">
          <label for="brush-reach">Reaches</label>
          <Select
            v-model="hand.reach"
            input-id="brush-reach"
            size="small"
            :options="REACHES"
            option-label="label"
            option-value="value"
          />
        </div>
        <div class="pair">
          <label for="brush-facing">Lies</label>
          <Select
            v-model="hand.facing"
            input-id="brush-facing"
            size="small"
            :options="FACINGS"
            option-label="label"
            option-value="value"
          />
        </div>
        <div class="foot">
          <button type="button" class="link" @click="hand.reset()">Return to defaults</button>
          <button type="button" class="link" @click="chooser?.click()">Replay a recorded pen…</button>
          <input ref="chooser" type="file" accept=".json" hidden data-testid="pen-file" @change="recorded" />
        </div>
      </div>
    </Popover>
  </div>
</template>

<style scoped>
.bar {
  position: absolute;
  left: 106px;
  right: 14px;
  bottom: 12px;
  max-width: 640px;
  margin: 0 auto;
  background: var(--glass);
  border-radius: 5px;
  padding: 7px 12px 6px;
  display: grid;
  gap: 5px;
  z-index: 2;
}
.line {
  display: flex;
  align-items: center;
  gap: 9px;
  min-height: 28px;
  min-width: 0;
}
.fill {
  flex: 1;
}
.target {
  flex: 0 1 170px;
  min-width: 0;
}
.mirror {
  flex: 0 1 140px;
  min-width: 0;
}
.bar :deep(.p-togglebutton) {
  white-space: nowrap;
}
.line label {
  white-space: nowrap;
}
.slide {
  flex: 2;
  margin: 0 6px;
}
.slide.short {
  flex: 1;
}
.number {
  width: 64px;
}
.number :deep(input) {
  width: 100%;
  text-align: right;
}
.unit {
  color: var(--verdigris);
  font-weight: 600;
  width: 24px;
}
.done {
  font-weight: 600;
  white-space: nowrap;
}
.done kbd {
  font: inherit;
  font-weight: 400;
  color: var(--muted);
  margin-left: 4px;
}
.hint {
  font-size: 12px;
}
.tight {
  display: none;
}
@media (width <= 1180px) {
  .roomy {
    display: none;
  }
  .pair.tight {
    display: grid;
  }
}
.popover {
  width: 330px;
}
.pair {
  display: grid;
  grid-template-columns: 106px minmax(0, 1fr);
  align-items: center;
  gap: 10px;
  min-height: 30px;
}
.foot {
  display: flex;
  justify-content: space-between;
  padding-top: 8px;
}
</style>
