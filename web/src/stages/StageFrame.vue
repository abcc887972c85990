<script setup lang="ts">
import { ref } from 'vue'
import ShortcutSheet from '../frame/ShortcutSheet.vue'
import { useWork } from '../stores/work'
import SurfaceView from '../view3d/SurfaceView.vue'
import { useShortcuts } from './useShortcuts'

/**
 * What all stages with a view have: a list at the left, the view, a sheet at the right, a band along the bottom, the keys of the view, and the
 * sheet that lists them. `acts` are the stage's own keys; `unfit` is said over the view where the object has no UVs.
 */
const props = defineProps<{ acts?: () => Record<string, () => void>; unfit?: string; view?: Record<string, unknown> }>()
defineEmits<{ part: [part: number] }>()
const work = useWork()
const surface = ref<InstanceType<typeof SurfaceView>>()
const shortcuts = ref(false)
useShortcuts(() => ({
  l: () => work.show({ kind: 'lit' }),
  f: () => surface.value?.frameObject(),
  u: () => surface.value?.toggleUv(),
  '?': () => (shortcuts.value = true),
  ...props.acts?.(),
}))
defineExpose({
  frameObject: () => surface.value?.frameObject(),
  turnInstead: (on: boolean) => surface.value?.turnInstead(on),
  replayPen: (...record: Parameters<InstanceType<typeof SurfaceView>['replayPen']>) =>
    surface.value?.replayPen(...record),
})
</script>

<template>
  <main class="work-stage">
    <slot name="left" />
    <SurfaceView ref="surface" v-bind="view" @part="(part) => $emit('part', part)">
      <slot name="over" />
      <div v-if="unfit && work.facts && !work.facts.uv.present" class="chip none" role="status">{{ unfit }}</div>
    </SurfaceView>
    <slot name="sheet" />
    <slot name="below" />
    <ShortcutSheet v-model:visible="shortcuts" />
    <slot />
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
