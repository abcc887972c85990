<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { typing } from '../keys'
import { COUNTS } from '../stores/bracketAxis'
import { useBrackets } from '../stores/brackets'

/** The values of a bracket side by side, along the bottom of any stage. */
const brackets = useBrackets()
const panel = ref<HTMLElement>()
const grid = computed(() => brackets.axes.length > 1)
watch(
  () => brackets.cells,
  async () => {
    await nextTick()
    panel.value?.focus()
  },
  { immediate: true },
)
const keys: Record<string, () => void> = {
  ArrowLeft: () => brackets.step(-1, 0),
  ArrowRight: () => brackets.step(1, 0),
  ArrowUp: () => brackets.step(0, -1),
  ArrowDown: () => brackets.step(0, 1),
  Enter: () => brackets.take(),
  Escape: () => brackets.leave(),
  n: () => brackets.narrow(0.5),
  w: () => brackets.narrow(2),
}
useEventListener(
  window,
  'keydown',
  (event: KeyboardEvent) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return
    const within = panel.value?.contains(event.target as Node)
    // Elsewhere only Escape is meant for it: arrows move what has the focus there.
    if (event.key !== 'Escape' && (!within || typing(event))) return
    // On a button Enter presses it.
    if (event.key === 'Enter' && (event.target as HTMLElement).closest('button:not(.cell)')) return
    const act = keys[event.key]
    if (!act) return
    event.preventDefault()
    event.stopPropagation()
    act()
  },
  { capture: true },
)
</script>

<template>
  <section ref="panel" class="bracket" :class="{ grid }" tabindex="-1" aria-label="Values side by side">
    <header>
      <h2>
        <template v-for="(axis, k) in brackets.axes" :key="axis.title">
          <template v-if="k">, with</template>
          {{ axis.title }}
        </template>
      </h2>
      <span class="muted">
        {{ grid ? 'the first number across, the second downwards' : 'arrow keys choose, Enter takes it' }}
      </span>
      <p v-if="brackets.wrong" class="trouble" role="alert">{{ brackets.wrong }}</p>
      <span class="acts">
        <button
          v-for="number in COUNTS"
          :key="number"
          type="button"
          class="press"
          :aria-pressed="brackets.count === number"
          :aria-label="`${number} values`"
          @click="brackets.show(number)"
        >
          {{ number }}
        </button>
        <button
          v-tooltip.top="'N: half as far apart, round the chosen one'"
          type="button"
          class="link"
          @click="brackets.narrow(0.5)"
        >
          Narrower
        </button>
        <button v-tooltip.top="'W: twice as far apart'" type="button" class="link" @click="brackets.narrow(2)">
          Wider
        </button>
        <button
          v-if="!grid"
          v-tooltip.top="'Then click the mark of another number in the sheet'"
          type="button"
          class="link"
          :aria-pressed="brackets.awaits"
          @click="brackets.awaits = !brackets.awaits"
        >
          {{ brackets.awaits ? 'Now click the mark of the second number' : 'With a second number…' }}
        </button>
        <button v-tooltip.top="'Escape'" type="button" class="link" @click="brackets.leave()">Leave as it was</button>
      </span>
    </header>
    <div class="cells" :style="{ '--columns': brackets.columns }" role="listbox" aria-label="Values">
      <button
        v-for="(cell, k) in brackets.cells"
        :key="cell.words"
        type="button"
        class="cell"
        role="option"
        :class="{ on: k === brackets.chosen }"
        :aria-selected="k === brackets.chosen"
        :style="{ gridColumn: cell.column + 1, gridRow: cell.row + 1 }"
        @click="k === brackets.chosen ? brackets.take(k) : (brackets.chosen = k)"
        @dblclick="brackets.take(k)"
      >
        <img v-if="cell.picture" :src="cell.picture" alt="" :class="{ coarse: !cell.size }" />
        <i v-else class="blank" />
        <span class="word">
          <b class="clip">{{ cell.words }}</b>
          <em v-if="cell.now">now</em>
          <em v-else-if="k === brackets.chosen">take it</em>
        </span>
      </button>
    </div>
  </section>
</template>

<style scoped>
.bracket {
  position: absolute;
  left: 0;
  right: 0;
  bottom: 0;
  height: 206px;
  background: var(--paper);
  border-top: 1px solid var(--line);
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  z-index: 5;
}
.bracket:focus {
  outline: none;
}
.bracket.grid {
  height: min(74%, 620px);
}
header {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 14px;
  padding: 9px 24px 7px;
}
h2 {
  font-size: 13px;
}
.acts {
  display: flex;
  align-items: center;
  gap: 12px;
  margin-left: auto;
}
.acts .press + .press {
  margin-left: -8px;
}
.cells {
  display: grid;
  grid-template-columns: repeat(var(--columns), minmax(96px, 1fr));
  grid-auto-rows: minmax(64px, 1fr);
  gap: 10px;
  padding: 0 24px 14px;
  min-height: 0;
  overflow: auto;
}
.cell {
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
  border: 1px solid var(--line);
  border-radius: 4px;
  overflow: hidden;
  background: var(--panel);
  text-align: left;
}
.cell.on {
  border-color: var(--verdigris);
  box-shadow: inset 0 0 0 1px var(--verdigris);
}
.cell img,
.blank {
  width: 100%;
  flex: 1;
  min-height: 0;
  object-fit: cover;
  background: #868686;
}
.word {
  display: flex;
  justify-content: space-between;
  gap: 6px;
  padding: 4px 9px;
}
.word em {
  font-style: normal;
  color: var(--muted);
}
/* Two numbers at once need the height for their pictures. */
.grid .cell {
  position: relative;
}
.grid .word {
  position: absolute;
  left: 0;
  bottom: 0;
  gap: 10px;
  padding: 1px 9px;
  background: color-mix(in srgb, var(--panel) 88%, transparent);
  border-top-right-radius: 4px;
}
.on .word em {
  color: var(--verdigris);
}
.trouble {
  color: var(--oxide);
}
</style>
