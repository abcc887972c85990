<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Slider from 'primevue/slider'
import { computed, nextTick, ref, watch } from 'vue'
import type { FieldSchema } from '../api/scene'
import { Plan } from '../rest'
import { factor, withUnit } from '../figures/format'
import { scaleOf } from '../figures/scale'
import TryValues from './TryValues.vue'

/** A slider over the soft range with its default as a tick, and a field that takes any value within the hard limits. */
const props = defineProps<{ field: FieldSchema; name: string; modelValue: number; said?: string }>()
const emit = defineEmits<{ drag: [value: number]; done: [value: number] }>()

const soft = computed<[number, number]>(() => props.field.soft ?? [props.field.minimum ?? 0, props.field.maximum ?? 1])
const whole = computed(() => props.field.type === 'integer')
const scale = computed(() => scaleOf(props.field))
const steps = computed(() => scale.value.places)
const toPlace = (value: number) => scale.value.place(value)
const toValue = (place: number) => scale.value.value(place)
const usual = computed(() => (typeof props.field.default === 'number' ? props.field.default : undefined))
const tick = computed(() => (usual.value === undefined ? undefined : toPlace(usual.value) / steps.value))

const later = new Plan('a value typed by keys')
let pointer = false
function slide(place: number | number[]) {
  const value = toValue(place as number)
  if (value === props.modelValue) return
  emit('drag', value)
  if (!pointer) {
    // Arrow keys: save when the hand rests.
    later.after(450, () => emit('done', props.modelValue))
  }
}
function up() {
  if (!pointer) return
  pointer = false
  emit('done', props.modelValue)
}
function down() {
  pointer = true
  window.addEventListener('pointerup', up, { once: true })
}

/** Arrow keys: a hundredth of the range in the field, a thousandth on the slider; with Shift a tenth of that. */
function nudge(event: KeyboardEvent, places: number) {
  const up = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1 }[event.key]
  if (!up) return
  event.preventDefault()
  event.stopPropagation()
  const share = (up * places * (event.shiftKey ? 0.1 : 1)) / 1000
  const [a, b] = soft.value
  const log = props.field.scale === 'log'
  const step = Math.abs(log ? props.modelValue * ((b / a) ** share - 1) : (b - a) * share)
  const moved = log ? props.modelValue * (b / a) ** share : props.modelValue + (b - a) * share
  // As many digits as the step is worth, and what must be whole goes by one.
  const digits = Math.max(0, Math.ceil(-Math.log10(Math.max(step, 1e-9))) + 1)
  const next = whole.value ? props.modelValue + up : Number(moved.toFixed(Math.min(digits, 12)))
  const { minimum = -Infinity, maximum = Infinity } = props.field
  const kept = Math.min(maximum, Math.max(minimum, next))
  if (kept === props.modelValue) return
  if (editing.value) text.value = exact(kept)
  emit('drag', kept)
  later.after(450, () => emit('done', props.modelValue))
}
/** The slider's own keys go as far as it goes: with Shift, and from a value that lies beyond, they are ours. */
function keys(event: KeyboardEvent) {
  const [a, b] = soft.value
  if (event.shiftKey || props.modelValue < a || props.modelValue > b) nudge(event, 1)
}
const tip = computed(() => [props.field.description, 'Arrow keys step, with Shift finely'].filter(Boolean).join('. '))

const text = ref('')
const wrong = ref('')
const editing = ref(false)
const shown = computed(() => withUnit(props.modelValue, props.field))
/** With all its digits, as it stands in the field while that is typed in. */
const exact = (value: number) =>
  `${Number((value * factor(props.field)).toPrecision(7))}${props.field.unit ? ` ${props.field.unit}` : ''}`
watch(shown, (value) => !editing.value && (text.value = value), { immediate: true })
/** All of it is chosen, so that typing replaces it; the unit may stay or be typed over. */
function enter(event: FocusEvent) {
  editing.value = true
  text.value = exact(props.modelValue)
  void nextTick(() => (event.target as HTMLInputElement).select())
}
function leave() {
  editing.value = false
  // Nothing was typed: what is shown may have fewer digits than the value.
  if (text.value === exact(props.modelValue)) {
    text.value = shown.value
    return
  }
  const typed = /[-+]?\d*[.,]?\d+(?:e[-+]?\d+)?/i.exec(text.value)?.[0].replace(',', '.') ?? ''
  const value = Number(typed) / factor(props.field)
  const { minimum = -Infinity, maximum = Infinity } = props.field
  text.value = shown.value
  if (typed === '' || !Number.isFinite(value)) return
  if (value < minimum || value > maximum) {
    wrong.value = `${withUnit(minimum, props.field)} to ${withUnit(maximum, props.field)}`
    setTimeout(() => (wrong.value = ''), 3500)
    return
  }
  const next = whole.value ? Math.round(value) : value
  if (next !== props.modelValue) {
    emit('drag', next)
    emit('done', next)
  }
}
function reset() {
  if (usual.value === undefined || usual.value === props.modelValue) return
  emit('drag', usual.value)
  emit('done', usual.value)
}
</script>

<template>
  <div class="field-row with-number tries" :data-field="name">
    <label v-tooltip.left="tip" class="clip" :for="`f-${name}`">{{ field.title }}</label>
    <div class="track" @pointerdown="down" @keydown.capture="keys">
      <i
        v-if="tick !== undefined"
        v-tooltip.top="`Default: ${withUnit(usual!, field)}. Click to return to it`"
        class="tick"
        :class="{ here: usual === modelValue }"
        :style="{ left: `${tick * 100}%` }"
        @pointerdown.stop
        @click.stop="reset"
      />
      <Slider
        :model-value="toPlace(modelValue)"
        :min="0"
        :max="steps"
        :step="1"
        :aria-label="field.title"
        :pt="{ handle: { 'aria-valuetext': shown } }"
        @update:model-value="slide"
      />
    </div>
    <InputText
      :id="`f-${name}`"
      v-model="text"
      size="small"
      class="value"
      :invalid="!!wrong"
      :aria-label="`${field.title}, value`"
      @focus="enter"
      @blur="leave"
      @keydown.enter="($event.target as HTMLInputElement).blur()"
      @keydown.up="(e: KeyboardEvent) => nudge(e, 10)"
      @keydown.down="(e: KeyboardEvent) => nudge(e, 10)"
    />
    <TryValues :field="field" :value="modelValue" @set="(v) => emit('drag', v)" />
    <p v-if="said" class="said muted" aria-live="polite">{{ said }}</p>
    <p v-if="wrong" class="wrong" role="alert">Use {{ wrong }}.</p>
  </div>
</template>

<style scoped>
.track {
  position: relative;
  padding: 9px 5px;
}
.tick {
  position: absolute;
  top: 4px;
  width: 9px;
  height: 18px;
  margin-left: -4.5px;
  cursor: pointer;
  background: linear-gradient(var(--muted), var(--muted)) center / 1px 9px no-repeat;
}
/* At its default the handle stands on the tick: nobody can mean the tick then. */
.tick.here {
  pointer-events: none;
}
/* Near its default the handle lies over the tick, and is what is taken. */
.track :deep(.p-slider-handle) {
  z-index: 1;
}
.value {
  width: 100%;
  text-align: right;
}
.said {
  grid-column: 2 / -1;
  margin-top: -6px;
  font-size: 12px;
  text-align: right;
}
.wrong {
  grid-column: 1 / -1;
  color: var(--oxide);
}
</style>
