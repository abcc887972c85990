<script setup lang="ts">
import { computed } from 'vue'
import { applies, fieldsOf, type FieldSchema } from '../api/scene'
import { percent } from '../figures/format'
import ChoiceField from './ChoiceField.vue'
import ColourField from './ColourField.vue'
import CurveField from './CurveField.vue'
import EyeField from './EyeField.vue'
import MapsField from './MapsField.vue'
import NumberField from './NumberField.vue'
import OptionalField from './OptionalField.vue'
import OthersField from './OthersField.vue'
import PictureField from './PictureField.vue'
import RangesField from './RangesField.vue'
import SubstanceField from './SubstanceField.vue'
import TextField from './TextField.vue'

/** Controls for the fields of an effect, a source, a line or a cut, drawn from the schema that the core publishes. */
const props = defineProps<{
  schema: Record<string, unknown>
  values: Record<string, unknown>
  /** Only the fields with this place ("" for those without one); every field when left out. */
  place?: string
  only?: string[]
  /** Share of the surface that the layer covers, for fields that say it. */
  coverage?: number
  /** Where a field does something on this very object, instead of its usual range. */
  ranges?: Record<string, [number, number]>
}>()
const emit = defineEmits<{
  drag: [name: string, value: unknown]
  done: [name: string, value: unknown, title: string]
}>()
const fields = computed(() =>
  fieldsOf(props.schema).filter(
    ([name, field]) =>
      (props.place === undefined || (field.place ?? '') === props.place) &&
      (!props.only || props.only.includes(name)) &&
      !DRAWN.includes(field.control ?? '') &&
      applies(field, props.values),
  ),
)
/** Drawn by hand: whoever shows these fields has tools of its own for them. */
const DRAWN = ['strokes', 'picks', 'line', 'value', 'place']
const isNumber = (field: FieldSchema) => field.control === 'slider'
</script>

<template>
  <template v-for="[name, field] in fields" :key="name">
    <NumberField
      v-if="isNumber(field)"
      :field="ranges?.[name] ? { ...field, soft: ranges[name] } : field"
      :name="name"
      :model-value="values[name] as number"
      :said="field.says && coverage !== undefined ? `${percent(coverage)} ${field.says}` : ''"
      @drag="(v) => emit('drag', name, v)"
      @done="(v) => emit('done', name, v, field.title ?? name)"
    />
    <OthersField
      v-else-if="field.control === 'others'"
      :field="field"
      :name="name"
      :model-value="values[name] as string[]"
      @done="(v) => (emit('drag', name, v), emit('done', name, v, field.title ?? name))"
    />
    <EyeField
      v-else-if="field.control === 'eye'"
      :field="field"
      :name="name"
      :model-value="(values[name] ?? null) as never"
      @done="(v) => (emit('drag', name, v), emit('done', name, v, field.title ?? name))"
    />
    <OptionalField
      v-else-if="field.control === 'optional'"
      :field="field"
      :name="name"
      :model-value="(values[name] ?? null) as never"
      @done="
        (v) => {
          emit('drag', name, v)
          emit('done', name, v, field.title ?? name)
        }
      "
    />
    <ColourField
      v-else-if="field.control === 'colour'"
      :field="field"
      :name="name"
      :model-value="values[name] as number[]"
      @drag="(v) => emit('drag', name, v)"
      @done="(v) => emit('done', name, v, field.title ?? name)"
    />
    <CurveField
      v-else-if="field.control === 'curve'"
      :field="field"
      :name="name"
      :model-value="(values[name] ?? null) as never"
      @drag="(v) => emit('drag', name, v)"
      @done="(v) => emit('done', name, v, field.title ?? name)"
    />
    <PictureField
      v-else-if="field.control === 'picture'"
      :field="field"
      :name="name"
      :model-value="String(values[name] ?? '')"
      @done="
        (v) => {
          emit('drag', name, v)
          emit('done', name, v, field.title ?? name)
        }
      "
    />
    <SubstanceField
      v-else-if="field.control === 'substance'"
      :field="field"
      :name="name"
      :model-value="(values[name] ?? null) as never"
      @drag="(v) => emit('drag', name, v)"
      @done="(v) => emit('done', name, v, field.title ?? name)"
      @save="(title) => emit('done', name, values[name], title)"
    />
    <MapsField
      v-else-if="field.control === 'maps'"
      :field="field"
      :name="name"
      :model-value="(values[name] ?? null) as never"
      @drag="(v) => emit('drag', name, v)"
      @done="(v) => emit('done', name, v, field.title ?? name)"
      @save="(title) => emit('done', name, values[name], title)"
    />
    <RangesField
      v-else-if="field.control === 'ranges'"
      :field="field"
      :name="name"
      :model-value="values[name] as never"
      @drag="(v) => emit('drag', name, v)"
      @done="(v) => emit('done', name, v, field.title ?? name)"
    />
    <TextField
      v-else-if="field.control === 'text'"
      :field="field"
      :name="name"
      :model-value="String(values[name] ?? '')"
      @drag="(v) => emit('drag', name, v)"
      @done="(v) => emit('done', name, v, field.title ?? name)"
    />
    <ChoiceField
      v-else-if="field.control"
      :field="field"
      :name="name"
      :model-value="values[name]"
      @drag="(v) => emit('drag', name, v)"
      @done="
        (v) => {
          emit('drag', name, v)
          emit('done', name, v, field.title ?? name)
        }
      "
    />
  </template>
</template>
