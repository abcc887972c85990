<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Popover from 'primevue/popover'
import { computed, nextTick, ref } from 'vue'
import type { Entry } from '../api/scene'
import { useWork } from '../stores/work'

/** Everything a line of a recipe can read, in groups, to choose from or to find by typing. */
/** `fits`: which of them can be used here. */
const props = defineProps<{ fits?: (source: Entry) => boolean }>()
const emit = defineEmits<{ choose: [source: Entry] }>()
const work = useWork()
const popover = ref<InstanceType<typeof Popover>>()
const field = ref<{ $el: HTMLInputElement }>()
const wanted = ref('')
const groups = computed(() => {
  const out = new Map<string, Entry[]>()
  const word = wanted.value.trim().toLowerCase()
  for (const source of work.catalogue?.sources ?? [])
    if (
      (!props.fits || props.fits(source)) &&
      (!word || `${source.title} ${source.about}`.toLowerCase().includes(word))
    )
      out.set(source.group, [...(out.get(source.group) ?? []), source])
  return [...out]
})
function choose(source: Entry | undefined) {
  if (!source) return
  popover.value?.hide()
  emit('choose', source)
}
async function shown() {
  wanted.value = ''
  await nextTick()
  field.value?.$el.focus()
}
defineExpose({ toggle: (event: Event) => popover.value?.toggle(event) })
</script>

<template>
  <Popover ref="popover" class="source-picker" @show="shown">
    <InputText
      ref="field"
      v-model="wanted"
      size="small"
      fluid
      placeholder="Where is it? Type to find"
      aria-label="Find what a line reads"
      @keydown.enter="choose(groups[0]?.[1][0])"
    />
    <div class="groups" role="menu" aria-label="What the line reads">
      <section v-for="[group, sources] in groups" :key="group" role="group" :aria-label="group">
        <span class="title muted" aria-hidden="true">{{ group }}</span>
        <button
          v-for="source in sources"
          :key="source.kind"
          v-tooltip.left="{ value: source.about, showDelay: 500 }"
          type="button"
          role="menuitem"
          @click="choose(source)"
        >
          {{ source.title }}
        </button>
      </section>
    </div>
    <p v-if="!groups.length" class="muted" role="status">Nothing is called that.</p>
  </Popover>
</template>

<style scoped>
.groups {
  display: grid;
  grid-template-columns: repeat(3, 132px);
  gap: 2px 14px;
  padding-top: 8px;
  align-items: start;
}
section:first-child {
  grid-row: span 3;
}
section {
  display: grid;
}
section .title {
  font-size: 12px;
  font-weight: 600;
  margin: 4px 0 2px;
}
button {
  text-align: left;
  padding: 3px 6px;
  margin-left: -6px;
  border-radius: 4px;
}
button:hover,
button:focus-visible {
  background: var(--tint);
}
</style>
