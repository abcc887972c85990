<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import AddObject from '../../frame/AddObject.vue'
import { useWork } from '../../stores/work'
import StageFrame from '../StageFrame.vue'
import ObjectSheet from './ObjectSheet.vue'
import PartsList from './PartsList.vue'
import ReadingsBand from './ReadingsBand.vue'

/** The object as it was brought in: what it is, whether it is fit, where it stands, and what was measured on it. */
const work = useWork()
const view = ref<InstanceType<typeof StageFrame>>()
const adder = ref<InstanceType<typeof AddObject>>()
const part = ref(-1)
const tab = ref('health')
work.serve('object')
watch(
  () => work.object?.id,
  () => (part.value = -1),
)
const compass = computed(() => {
  if (tab.value !== 'setting' || !work.scene) return undefined
  const { north_deg, wind_from_deg, wind_speed } = work.scene.setting as Record<string, number>
  return { north: north_deg, wind: wind_from_deg, speed: wind_speed }
})
function bring(purpose: 'replace' | 'twin' | 'neighbour' | 'marker') {
  if (work.object) adder.value?.open(work.object.project, purpose, work.object.id)
}
</script>

<template>
  <StageFrame
    ref="view"
    style="--band: 158px"
    :view="{ compass, part }"
    models
    unfit="No UVs yet: unwrap the object to measure and weather it."
    @part="(p) => (part = p)"
  >
    <template #left><PartsList v-model="part" @frame="view?.frameObject()" /></template>
    <template #sheet>
      <ObjectSheet v-model="tab" @replace="bring('replace')" @twin="bring('twin')" @near="bring" />
    </template>
    <template #below><ReadingsBand class="below" /></template>
    <AddObject ref="adder" />
  </StageFrame>
</template>
