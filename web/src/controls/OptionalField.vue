<script setup lang="ts">
import InputNumber from 'primevue/inputnumber'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed } from 'vue'
import type { FieldSchema } from '../api/scene'
import { factor } from '../figures/format'

/** A number that may be left out: the switch says whether it is given, the words what holds without it. */
const props = defineProps<{ field: FieldSchema; name: string; modelValue: number | null | undefined }>()
const emit = defineEmits<{ done: [value: number | null] }>()
const limits = computed<{ type?: string; minimum?: number; exclusiveMinimum?: number; maximum?: number }>(
  () => props.field.anyOf?.find((x) => x.type !== 'null') ?? {},
)
const least = computed(() => limits.value.minimum ?? limits.value.exclusiveMinimum)
const whole = computed(() => limits.value.type === 'integer')
/** Shares are shown in percent. */
const times = computed(() => factor(props.field))
const shown = computed(() =>
  props.modelValue === null || props.modelValue === undefined
    ? null
    : Number((props.modelValue * times.value).toPrecision(6)),
)
const given = computed(() => props.modelValue !== null && props.modelValue !== undefined)
</script>

<template>
  <div class="field-row" :data-field="name">
    <label v-tooltip.left="field.description || undefined" class="clip" :for="`f-${name}`">{{ field.title }}</label>
    <InputNumber
      v-if="given"
      size="small"
      fluid
      :input-id="`f-${name}`"
      :model-value="shown"
      :min="least === undefined ? undefined : least * times"
      :max="limits.maximum === undefined ? undefined : limits.maximum * times"
      :max-fraction-digits="whole ? 0 : 3"
      :use-grouping="false"
      :suffix="field.unit ? ` ${field.unit}` : undefined"
      @update:model-value="(v) => v !== null && v !== shown && emit('done', v / times)"
    />
    <span v-else class="muted clip">{{ field.empty }}</span>
    <ToggleSwitch
      :model-value="given"
      :aria-label="`${field.title}: give a value`"
      @update:model-value="(on) => emit('done', on ? (field.start ?? 0) : null)"
    />
  </div>
</template>

<style scoped>
.field-row {
  grid-template-columns: 106px 1fr auto;
}
</style>
