<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import AddObject from '../../frame/AddObject.vue'
import ShortcutSheet from '../../frame/ShortcutSheet.vue'
import { useWork } from '../../stores/work'
import SurfaceView from '../../view3d/SurfaceView.vue'
import { useStageKeys } from '../useStageKeys'
import ObjectSheet from './ObjectSheet.vue'
import PartsList from './PartsList.vue'
import ReadingsBand from './ReadingsBand.vue'

/** The object as it was brought in: what it is, whether it is fit, where it stands, and what was measured on it. */
const work = useWork()
const view = ref<InstanceType<typeof SurfaceView>>()
const adder = ref<InstanceType<typeof AddObject>>()
const part = ref(-1)
const tab = ref('health')
const shortcuts = ref(false)
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
function bring(purpose: 'replace' | 'twin') {
  if (work.object) adder.value?.open(work.object.project, purpose, work.object.id)
}
useStageKeys(() => ({
  l: () => work.show({ kind: 'lit' }),
  f: () => view.value?.frameObject(),
  u: () => view.value?.toggleUv(),
  '?': () => (shortcuts.value = true),
}))
</script>

<template>
  <main class="work-stage" style="--band: 158px">
    <PartsList v-model="part" @frame="view?.frameObject()" />
    <SurfaceView ref="view" :compass="compass" :part="part" @part="(p) => (part = p)">
      <div v-if="work.facts && !work.facts.uv.present" class="chip none" role="status">
        No UVs yet: unwrap the object to measure and weather it.
      </div>
    </SurfaceView>
    <ObjectSheet v-model="tab" @replace="bring('replace')" @twin="bring('twin')" />
    <ReadingsBand class="below" />
    <AddObject ref="adder" />
    <ShortcutSheet v-model:visible="shortcuts" />
  </main>
</template>

<style scoped>
.none {
  position: absolute;
  left: 50%;
  bottom: 22px;
  transform: translateX(-50%);
  padding: 9px 14px;
}
</style>
