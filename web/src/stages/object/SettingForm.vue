<script setup lang="ts">
import { OUTSIDE } from '../../stores/outside'
import { computed, provide } from 'vue'
import { fieldsOf } from '../../api/scene'
import FieldList from '../../controls/FieldList.vue'
import { useWork } from '../../stores/work'
import CompassDial from './CompassDial.vue'

/** The place the object stands in. The groups come from the core's schema. */
const work = useWork()
const schema = computed(() => (work.catalogue?.setting ?? {}) as Record<string, unknown>)
const groups = computed(() => {
  const out = new Map<string, string[]>()
  for (const [name, field] of fieldsOf(schema.value)) {
    const title = field.group ?? 'Standing'
    out.set(title, [...(out.get(title) ?? []), name])
  }
  return [...out]
})
const setting = computed(() => work.scene?.setting as Record<string, unknown> | undefined)
function drag(name: string, value: unknown) {
  if (work.scene) (work.scene.setting as Record<string, unknown>)[name] = value
}
const done = (_name: string, _value: unknown, title: string) => void work.editObject(title, () => undefined)
function turn(name: 'north_deg' | 'wind_from_deg', value: number, end: boolean) {
  drag(name, value)
  if (end) done(name, value, name === 'north_deg' ? 'North' : 'Wind from')
}
provide(OUTSIDE, true)
</script>

<template>
  <template v-if="setting">
    <p class="muted lead">Sun, rain and run-off follow from this, and the age of new layers.</p>
    <section v-for="[title, names] in groups" :key="title">
      <h2 class="muted">{{ title }}</h2>
      <FieldList :schema="schema" :values="setting" :only="names" @drag="drag" @done="done" />
      <CompassDial
        v-if="title === 'Weather'"
        :north="Number(setting.north_deg)"
        :wind="Number(setting.wind_from_deg)"
        @north="(v, end) => turn('north_deg', v, end)"
        @wind="(v, end) => turn('wind_from_deg', v, end)"
      />
    </section>
  </template>
</template>

<style scoped>
.lead {
  padding-bottom: 4px;
}
section {
  padding-top: 8px;
}
h2 {
  font-size: 12px;
  font-weight: 600;
  padding-bottom: 2px;
}
</style>
