<script setup lang="ts">
import InputText from 'primevue/inputtext'
import { ref } from 'vue'
import { useWork } from '../../stores/work'

/** A pattern for the names of maps; its words are put in by a click, where the cursor stands. */
const pattern = defineModel<string>({ required: true })
defineProps<{ wrong?: boolean }>()
const work = useWork()
const field = ref<{ $el: HTMLInputElement }>()
function put(word: string) {
  const input = field.value?.$el
  const whole = pattern.value || (work.catalogue?.naming.usual ?? '')
  const at = pattern.value ? (input?.selectionStart ?? whole.length) : whole.length
  const text = `{${word}}`
  pattern.value = whole.slice(0, at) + text + whole.slice(input && pattern.value ? (input.selectionEnd ?? at) : at)
  requestAnimationFrame(() => {
    input?.focus()
    input?.setSelectionRange(at + text.length, at + text.length)
  })
}
</script>

<template>
  <InputText
    ref="field"
    v-model="pattern"
    size="small"
    :placeholder="work.catalogue?.naming.usual"
    :invalid="wrong"
    aria-label="Names of maps"
    maxlength="120"
    spellcheck="false"
  />
  <div class="words">
    <button
      v-for="(about, word) in work.catalogue?.naming.words"
      :key="word"
      v-tooltip.bottom="`Put in ${about}`"
      type="button"
      @mousedown.prevent
      @click="put(String(word))"
    >
      {{ word }}
    </button>
    <span class="muted">/ for folders</span>
  </div>
</template>

<style scoped>
.words {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 6px;
  align-items: center;
}
button {
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 1px 7px;
  font-size: 13px;
}
button:hover {
  border-color: var(--verdigris);
  color: var(--verdigris);
}
</style>
