<script setup lang="ts">
import Button from 'primevue/button'
import { computed, ref, watch } from 'vue'
import { api } from '../../api/client'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'

/** Bases guessed from the names of parts: offered once, never done silently. */
const work = useWork()
const bases = useBases()
const guesses = ref<{ base: string; parts: string[] }[]>([])
const dismissed = ref(false)
const busy = ref(false)
const key = computed(() => `limus.guessed.${work.object?.id}`)
watch(
  () => work.object?.id,
  async (id) => {
    guesses.value = []
    dismissed.value = !!id && localStorage.getItem(key.value) === '1'
    if (!id || dismissed.value) return
    const { data } = await api.GET('/api/objects/{object_id}/guessed-bases', { params: { path: { object_id: id } } })
    if (work.object?.id === id) guesses.value = data ?? []
  },
  { immediate: true },
)
/** Only where nobody has chosen yet: one base on everything. */
const open = computed(() => !dismissed.value && guesses.value.length > 0 && bases.bases.length <= 1)
const words = computed(() =>
  guesses.value.map((g) => `${g.base} for ${g.parts.length === 1 ? g.parts[0] : `${g.parts.length} parts`}`),
)
function dismiss() {
  dismissed.value = true
  localStorage.setItem(key.value, '1')
}
async function use() {
  busy.value = true
  const all = await Promise.all(guesses.value.map((g) => bases.fromStore(g.base)))
  busy.value = false
  // What names every part there is, is the base of all.
  const laid = guesses.value.flatMap((g, k) =>
    all[k] ? [{ base: all[k], parts: g.parts.length === work.parts.length ? [] : g.parts }] : [],
  )
  if (laid.length) void work.run('lay-bases', { bases: laid })
  dismiss()
}
</script>

<template>
  <div v-if="open" class="chip guess" role="status">
    <span>
      Names of parts speak of
      <b>{{ words.join(', ') }}</b>
    </span>
    <Button size="small" label="Use them" :loading="busy" @click="use" />
    <Button size="small" severity="secondary" label="No" @click="dismiss" />
  </div>
</template>

<style scoped>
.guess {
  position: absolute;
  left: 50%;
  bottom: 44px;
  transform: translateX(-50%);
  padding: 8px 12px;
  max-width: calc(100% - 40px);
  z-index: 2;
}
.guess :deep(button) {
  flex: none;
  white-space: nowrap;
}
</style>
