<script setup lang="ts">
import ColorPicker from 'primevue/colorpicker'
import InputText from 'primevue/inputtext'
import Menu from 'primevue/menu'
import { computed, nextTick, ref, watch } from 'vue'
import type { FieldSchema } from '../api/scene'
import { fromHex, toHex } from './colour'
import ColourFromPicture from './ColourFromPicture.vue'
import { useEyedropper } from './eyedropper'

const props = defineProps<{ field: FieldSchema; name: string; modelValue: number[] }>()
const emit = defineEmits<{ drag: [value: number[]]; done: [value: number[]] }>()
const hex = computed(() => toHex(props.modelValue))
const text = ref('')
watch(hex, (value) => (text.value = value), { immediate: true })
let moved = false
function pick(value: string) {
  const linear = fromHex(value)
  if (!linear || value === hex.value) return
  moved = true
  emit('drag', linear)
}
function close() {
  if (moved) emit('done', props.modelValue)
  moved = false
}
const dropper = useEyedropper()
const menu = ref<InstanceType<typeof Menu>>()
const photograph = ref<InstanceType<typeof ColourFromPicture>>()
/** Menu and dialog are made when they are first asked for: a sheet has many colours. */
const asked = ref(false)
async function offer(event: Event) {
  const at = event.currentTarget
  asked.value = true
  await nextTick()
  menu.value?.toggle({ currentTarget: at } as Event)
}
function take(linear: number[]) {
  const color = linear.map((x) => Number(Math.min(1, Math.max(0, x)).toFixed(6)))
  emit('drag', color)
  emit('done', color)
}
const WAYS = [
  { label: 'From the view', icon: 'pi pi-box', command: () => dropper.wait(take) },
  { label: 'From a photograph…', icon: 'pi pi-image', command: () => photograph.value?.open() },
]
function type() {
  const linear = fromHex(text.value)
  if (linear && toHex(linear) !== hex.value) {
    emit('drag', linear)
    emit('done', linear)
  }
  text.value = hex.value
}
</script>

<template>
  <div class="field-row with-number" :data-field="name">
    <label v-tooltip.left="field.description || undefined" class="clip" :for="`f-${name}`">{{ field.title }}</label>
    <div class="pick">
      <ColorPicker
        :model-value="hex"
        format="hex"
        :pt="{ preview: { 'aria-label': field.title } }"
        @update:model-value="pick"
        @hide="close"
      />
      <span class="bar" :style="{ background: `#${hex}` }" aria-hidden="true" />
      <button
        v-tooltip.top="'Take a colour from the view or from a photograph'"
        type="button"
        class="take"
        aria-haspopup="menu"
        :aria-label="`${field.title}: take from the view or a photograph`"
        @click="offer"
      >
        <i class="pi pi-eye" />
      </button>
      <Menu v-if="asked" ref="menu" :model="WAYS" popup />
      <ColourFromPicture v-if="asked" ref="photograph" :title="field.title ?? 'Colour'" @picked="take" />
    </div>
    <InputText
      :id="`f-${name}`"
      v-model="text"
      v-tooltip.left="'sRGB, hexadecimal'"
      size="small"
      class="value"
      :aria-label="`${field.title}, hexadecimal`"
      @blur="type"
      @keydown.enter="type"
    />
  </div>
</template>

<style scoped>
.pick {
  display: flex;
  align-items: center;
  gap: 8px;
}
.bar {
  flex: 1;
  height: 8px;
  border-radius: 2px;
  border: 1px solid var(--line);
}
.take {
  color: var(--muted);
  width: 24px;
  height: 24px;
  display: grid;
  place-items: center;
}
.take:hover {
  color: var(--ink);
}
.value {
  width: 100%;
  text-align: right;
}
</style>
