<script setup lang="ts">
import { ref } from 'vue'
import { useWork } from '../../stores/work'
import { SETUPS } from '../../view3d/lights'
import StageFrame from '../StageFrame.vue'
import FindingsSheet from './FindingsSheet.vue'
import LightList from './LightList.vue'
import LightsBand from './LightsBand.vue'

/** Judge by eye: the surface in every light, and what may be wrong with it. */
const work = useWork()
const view = ref<InstanceType<typeof StageFrame>>()
work.serve('weather')
const acts = () =>
  Object.fromEntries(SETUPS.map((one, k) => [String(k + 1), () => view.value?.lightBy(one.id)] as const))
</script>

<template>
  <StageFrame ref="view" heading="Review" :acts="acts" style="--band: 158px">
    <template #left><LightList :chosen="view?.setup ?? ''" @choose="(id) => view?.lightBy(id)" /></template>
    <template #sheet><FindingsSheet @part="(part) => view?.framePart(part)" /></template>
    <template #below>
      <LightsBand
        class="below"
        :chosen="view?.setup ?? ''"
        :pictures="(width, height) => view?.picturesInAllLights(width, height) ?? {}"
        @choose="(id) => view?.lightBy(id)"
      />
    </template>
  </StageFrame>
</template>
