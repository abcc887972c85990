<script setup lang="ts">
import Select from 'primevue/select'
import { computed } from 'vue'
import type { MapUse } from '../api/scene'
import { useWork } from '../stores/work'

/** File -> role -> colour or data -> channel; every line can be changed. */
const props = defineProps<{
  uses: MapUse[]
  names: Record<string, string>
  pictures?: Record<string, string>
  facts?: Record<string, string>
  why?: string[]
  narrow?: boolean
}>()
const emit = defineEmits<{ change: [index: number, use: MapUse] }>()
const work = useWork()
const roles = computed(() => [
  { value: 'left out', label: 'left out', kind: '' },
  ...(work.catalogue?.roles ?? []).map((r) => ({ value: r.name, label: r.title, kind: r.kind })),
])
const role = (use: MapUse) => work.catalogue?.roles.find((r) => r.name === use.role)
const channel = (use: MapUse) => {
  const found = role(use)
  if (!found) return ''
  if (!found.channel) return found.name === 'occlusion' ? 'occlusion' : 'relief'
  return work.catalogue?.channel_list.find((c) => c.name === found.channel)?.title ?? ''
}
const taken = (value: string, use: MapUse) =>
  value !== 'left out' && value !== use.role && props.uses.some((u) => u.role === value)
function setRole(k: number, use: MapUse, value: string) {
  const kind = work.catalogue?.roles.find((r) => r.name === value)?.kind
  emit('change', k, { ...use, role: value, colour: kind === 'colour' ? 'srgb' : 'linear' })
}
const WAYS = [
  { label: 'sRGB', value: 'srgb' },
  { label: 'linear', value: 'linear' },
]
const COMPONENTS = ['all', 'R', 'G', 'B', 'A']
</script>

<template>
  <table :class="{ narrow }" aria-label="What each file is">
    <colgroup>
      <col v-if="pictures" style="width: 46px" />
      <col />
      <col :style="{ width: narrow ? '60px' : '72px' }" />
      <col :style="{ width: narrow ? '108px' : '164px' }" />
      <col :style="{ width: narrow ? '66px' : '84px' }" />
      <col v-if="!narrow" style="width: 120px" />
    </colgroup>
    <thead>
      <tr>
        <th scope="col" :colspan="pictures ? 2 : 1">File</th>
        <th scope="col">Takes</th>
        <th scope="col">Role</th>
        <th scope="col">Numbers</th>
        <th v-if="!narrow" scope="col">Fills</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(use, k) in uses" :key="k" :class="{ out: use.role === 'left out' }" :data-role="use.role">
        <td v-if="pictures" class="picture"><img :src="pictures[use.file]" alt="" /></td>
        <td class="file">
          <span v-tooltip.top="names[use.file]" class="clip">{{ names[use.file] }}</span>
          <small v-if="facts" class="muted clip">{{ facts[use.file] }}</small>
        </td>
        <td>
          <Select
            size="small"
            :model-value="use.component"
            :options="COMPONENTS"
            :aria-label="`Component of ${names[use.file]}`"
            @update:model-value="(v) => emit('change', k, { ...use, component: v })"
          />
        </td>
        <td>
          <Select
            v-tooltip.top="why?.[k]"
            size="small"
            filter
            :model-value="use.role"
            :options="roles"
            :option-disabled="(o: { value: string }) => taken(o.value, use)"
            option-label="label"
            option-value="value"
            :aria-label="`Role of ${names[use.file]}`"
            @update:model-value="(v) => setRole(k, use, v)"
          />
        </td>
        <td>
          <Select
            v-if="role(use)?.kind === 'colour'"
            size="small"
            :model-value="use.colour"
            :options="WAYS"
            option-label="label"
            option-value="value"
            :aria-label="`Encoding of ${names[use.file]}`"
            @update:model-value="(v) => emit('change', k, { ...use, colour: v })"
          />
          <span v-else class="muted">{{ role(use)?.kind ?? '' }}</span>
        </td>
        <td v-if="!narrow" class="muted">{{ channel(use) }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
table {
  width: 100%;
  border-collapse: collapse;
  table-layout: fixed;
}
th {
  text-align: left;
  font-weight: 400;
  color: var(--muted);
  padding: 2px 6px 4px 0;
}
td {
  padding: 2px 6px 2px 0;
  vertical-align: middle;
  overflow: hidden;
}
tr + tr td {
  border-top: 1px solid var(--line);
}
.picture img {
  width: 36px;
  height: 36px;
  object-fit: cover;
  border-radius: 3px;
  display: block;
}
.file .clip {
  display: block;
}
.out .file {
  color: var(--muted);
}
td :deep(.p-select) {
  width: 100%;
}
.narrow td {
  font-size: 12.5px;
}
</style>
