<script setup lang="ts">
import { computed, ref } from 'vue'
import { recognisedFrom, usesOf } from '../api/mapFiles'
import type { Base, FieldSchema, MapUse } from '../api/scene'
import { useBases } from '../stores/bases'
import { useWork } from '../stores/work'
import FieldList from './FieldList.vue'
import RoleTable from './RoleTable.vue'

/** Several texture files of one thing: sent, recognised, and every role open to be changed. */
type Maps = Record<string, unknown> & { maps: MapUse[] }
const props = defineProps<{ field: FieldSchema; name: string; modelValue: Maps | null }>()
const emit = defineEmits<{ drag: [value: Maps]; done: [value: Maps]; save: [title: string] }>()
const work = useWork()
const bases = useBases()
const picker = ref<HTMLInputElement>()
const word = ref('')
const trouble = ref('')
const names = computed(() =>
  Object.fromEntries((props.modelValue?.maps ?? []).map((use) => [use.file, use.file.split('/').at(-1) ?? ''])),
)
const material = computed(() => [...bases.materials.values()].find((m) => m.of_pictures))
async function send(files: File[]) {
  if (!work.object || !files.length) return
  trouble.value = ''
  const out = await recognisedFrom(
    work.object.project,
    files,
    20,
    {
      sent: (share, what) => (word.value = `${Math.round(share * 100)} %, ${what}`),
      looking: () => (word.value = 'Looking at the files'),
    },
    new AbortController().signal,
  )
  word.value = ''
  if (picker.value) picker.value.value = ''
  if (!out?.found) {
    trouble.value = out?.trouble ?? ''
    return
  }
  trouble.value = out.refused[0] ?? ''
  const made = (out.found.base as unknown as Base).material
  put({ ...made, maps: usesOf(out.found) as MapUse[] } as Maps)
}
function put(value: Maps) {
  emit('drag', value)
  emit('done', value)
}
function setUse(k: number, use: MapUse) {
  put({ ...props.modelValue!, maps: props.modelValue!.maps.map((u, j) => (j === k ? use : u)) })
}
</script>

<template>
  <div class="maps" :data-field="name">
    <div class="line">
      <span v-tooltip.left="field.description || undefined">{{ field.title }}</span>
      <button type="button" class="link" :disabled="!!word" @click="picker?.click()">
        {{ modelValue?.maps.length ? 'Choose others…' : 'Choose files…' }}
      </button>
      <input
        ref="picker"
        type="file"
        multiple
        hidden
        aria-label="Texture files of the sign"
        @change="send([...(picker?.files ?? [])])"
      />
    </div>
    <p v-if="word" class="muted" role="status">{{ word }}</p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="modelValue?.maps.length">
      <RoleTable :uses="modelValue.maps" :names="names" narrow @change="setUse" />
      <FieldList
        v-if="material"
        :schema="material.schema"
        :values="modelValue"
        :only="['green', 'relief_from', 'range_mm', 'bump_mm']"
        @drag="(n, v) => emit('drag', { ...modelValue!, [n]: v })"
        @done="(_n, _v, title) => emit('save', title)"
      />
    </template>
  </div>
</template>

<style scoped>
.maps {
  display: grid;
  gap: 5px;
}
.line {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  min-height: 28px;
  align-items: center;
}
.trouble {
  color: var(--oxide);
}
</style>
