<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import { useWork, type Size } from '../stores/work'

/** What the view shows: its title, how fine it is, and which moment of the story. */
const props = defineProps<{ title: string; size: number; failed: boolean; texel?: number; coming?: boolean }>()
/** Whether the view gets finer where it has come near. */
const close = defineModel<boolean>('close')
const fine = computed(() => (props.texel ? `${Number(props.texel.toPrecision(2))} mm` : ''))
const work = useWork()
const title = computed(() => {
  if (props.failed) return 'No 3D view'
  return props.title || (work.object?.readings === 'missing' && work.bench === 'weather' ? 'Measuring' : 'Loading')
})
const moment = computed(() => {
  if (work.bench !== 'weather') return 'as made'
  if (work.peeking) return `before ${work.selected?.name}`
  if (work.until === null) return work.scene?.year == null ? 'today' : `after ${work.scene.year} years`
  if (work.until === '') return 'as made'
  return `after ${work.scene?.layers.find((l) => l.id === work.until)?.name}`
})
/** Every size that the server's memory holds. */
const sizes = computed(() =>
  (work.object?.sizes ?? [512, 1024, 2048]).filter((s) => s >= 512).map((value) => ({ label: String(value), value })),
)
function resize(value: Size) {
  work.size = value
  work.full()
}
</script>

<template>
  <div class="chip label" data-testid="view-label">
    <b>{{ title }}</b>
    <template v-if="size">
      <span aria-hidden="true">·</span>
      <Select
        class="sizes"
        size="small"
        :model-value="work.size"
        :options="sizes"
        option-label="label"
        option-value="value"
        aria-label="Resolution at rest"
        @update:model-value="resize"
      >
        <template #value>{{ size }}</template>
      </Select>
      <template v-if="work.bench === 'weather'">
        <span aria-hidden="true">·</span>
        <button
          v-tooltip.bottom="
            close
              ? 'What you come near to is drawn finer, down to 0.05 mm a texel. Click to leave it as coarse as the maps'
              : 'Draw what you come near to finer than the maps'
          "
          type="button"
          class="tool"
          :aria-pressed="close"
          data-testid="close-up"
          @click="close = !close"
        >
          {{ close && fine ? fine : 'near' }}
          <i v-if="coming" class="pi pi-spin pi-spinner busy" role="img" aria-label="Finer texels are coming" />
        </button>
      </template>
      <span aria-hidden="true">·</span>
      <span>{{ moment }}</span>
      <span v-if="work.pinned && work.look.kind !== 'lit'" class="pin">
        <i class="pi pi-thumbtack" />
        pinned
      </span>
    </template>
    <i v-if="work.busy && !failed" class="pi pi-spin pi-spinner busy" role="img" aria-label="Working" />
  </div>
</template>

<style scoped>
.label {
  min-height: 26px;
  padding: 1px 10px;
}
.sizes {
  border: 0;
  background: transparent;
  box-shadow: none;
}
.sizes :deep(.p-select-label) {
  padding: 0;
}
.sizes :deep(.p-select-dropdown) {
  width: 16px;
}
.sizes :deep(.p-select-dropdown-icon) {
  width: 9px;
}
.pin {
  color: var(--verdigris);
}
.busy {
  color: var(--muted);
  font-size: 11px;
}
</style>
