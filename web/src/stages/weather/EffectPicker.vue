<script setup lang="ts">
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import { computed, nextTick, ref } from 'vue'
import KindGlyph from '../../controls/KindGlyph.vue'
import type { Entry } from '../../api/scene'
import { useWork } from '../../stores/work'

/** What can happen, grouped by the kind of event. */
const work = useWork()
const visible = ref(false)
/** A dialog of its own for each opening: one that is still fading out cannot be opened again. */
const round = ref(0)
const query = ref('')
const field = ref<{ $el: HTMLInputElement }>()
const KINDS = [
  ['deposit', 'Something was added'],
  ['change', 'The surface altered'],
  ['loss', 'Something was taken away'],
] as const

const groups = computed(() => {
  const wanted = query.value.trim().toLowerCase()
  return KINDS.map(([family, title]) => ({
    family,
    title,
    effects: (work.catalogue?.effects ?? []).filter(
      (e) => e.family === family && `${e.title} ${e.about}`.toLowerCase().includes(wanted),
    ),
  })).filter((g) => g.effects.length)
})
/** What an effect acts on that nothing here shows today: it can be added, but will have nothing to do. */
function lacks(effect: Entry): string {
  const shown = work.evaluation?.exposed
  const wants = effect.acts_on ?? []
  if (!wants.length || !shown || !Object.keys(shown).length || wants.some((family) => (shown[family] ?? 0) > 0))
    return ''
  const names = wants.map((family) => work.catalogue?.families[family] ?? family).join(' or ')
  return `No ${names} shows here today`
}
async function open() {
  query.value = ''
  round.value++
  visible.value = true
  await nextTick()
  setTimeout(() => field.value?.$el.focus(), 60)
}
function add(kind: string) {
  visible.value = false
  work.addLayer(work.effects.get(kind)!)
}
function first() {
  const effect = groups.value[0]?.effects[0]
  if (effect) add(effect.kind)
}
defineExpose({ open })
</script>

<template>
  <Dialog
    :key="round"
    v-model:visible="visible"
    modal
    dismissable-mask
    header="What happened next?"
    :style="{ width: '520px' }"
  >
    <InputText
      ref="field"
      v-model="query"
      placeholder="Search"
      aria-label="Search effects"
      fluid
      @keydown.enter="first"
    />
    <p v-if="!groups.length" class="muted none">Nothing of that name can happen yet.</p>
    <section v-for="group in groups" :key="group.family">
      <h3 class="muted">{{ group.title }}</h3>
      <button
        v-for="effect in group.effects"
        :key="effect.kind"
        type="button"
        class="effect"
        :data-effect="effect.kind"
        @click="add(effect.kind)"
      >
        <KindGlyph :family="effect.family" />
        <span>
          <b>{{ effect.title }}</b>
          <span class="muted">{{ effect.about }}</span>
          <span v-if="lacks(effect)" class="lacks">{{ lacks(effect) }}</span>
        </span>
      </button>
    </section>
  </Dialog>
</template>

<style scoped>
h3 {
  font-size: 12px;
  font-weight: 600;
  padding: 12px 0 3px;
}
.effect {
  display: flex;
  gap: 12px;
  align-items: flex-start;
  width: 100%;
  text-align: left;
  padding: 6px 8px;
  border-radius: 4px;
}
.effect:hover,
.effect:focus-visible {
  background: var(--tint);
}
.effect svg {
  margin-top: 2px;
  flex: none;
}
.effect span {
  display: grid;
}
.lacks {
  color: var(--oxide);
}
.none {
  padding-top: 14px;
}
</style>
