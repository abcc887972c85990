<script setup lang="ts">
import { computed } from 'vue'
import type { Term } from '../api/scene'
import { DRAWN, useHand, type Drawn } from '../stores/hand'

/** What was drawn by hand for a line: how much there is, the tool to go on with, and ways to take it back. */
const props = defineProps<{ term: Term; kind: Drawn }>()
const emit = defineEmits<{ change: [next: unknown[], label: string] }>()
const hand = useHand()
const list = computed(() => (props.term.source[props.kind] as unknown[] | undefined) ?? [])
const WORDS = {
  strokes: { one: 'stroke', many: 'strokes', none: 'Nothing is painted yet', go: 'Paint' },
  picks: { one: 'fill', many: 'fills', none: 'Nothing is filled yet', go: 'Fill' },
  line: { one: 'piece', many: 'pieces', none: 'No line is drawn yet', go: 'Draw' },
}
const words = computed(() => WORDS[props.kind])
const tool = computed(() => DRAWN[props.kind].tool)
const target = computed(() => DRAWN[props.kind].target)
const inHand = computed(() => hand.tool === tool.value && hand.target === target.value)
</script>

<template>
  <div class="hand">
    <button type="button" class="press" :aria-pressed="inHand" @click="inHand ? hand.put() : hand.take(tool, target)">
      <i class="pi pi-pencil" />
      {{ words.go }}
    </button>
    <span class="muted">
      {{ list.length ? `${list.length} ${list.length === 1 ? words.one : words.many}` : words.none }}
    </span>
    <span class="fill" />
    <template v-if="list.length">
      <button type="button" class="link" @click="emit('change', list.slice(0, -1), `Remove last ${words.one}`)">
        Remove last
      </button>
      <button type="button" class="link" @click="emit('change', [], 'Clear what was drawn')">Clear</button>
    </template>
  </div>
</template>

<style scoped>
.hand {
  white-space: nowrap;
  display: flex;
  align-items: center;
  gap: 10px;
  min-height: 30px;
}
.fill {
  flex: 1;
}
</style>
