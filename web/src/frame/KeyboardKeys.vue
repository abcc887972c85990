<script setup lang="ts">
/** Every key of the stages. */
const KEYS = [
  ['L', 'The lit surface'],
  ['M', 'Where the selected layer may be, where it acted, and back'],
  ['P', 'Pin what is looked through while another layer is chosen'],
  ['hold B', 'The surface before the selected layer'],
  [', and .', 'Choose the layer before or after'],
  ['A', 'Add what happened next'],
  ['F', 'Frame the object'],
  ['[ and ]', 'Turn the light'],
  ['U', 'UV view'],
  ['H', 'Paint the mask by hand, and back'],
  ['I', 'Fill, and back'],
  ['T', 'With a brush in hand: add or take away'],
  ['+ and −', 'With a brush in hand: larger, smaller'],
  ['hold Ctrl, Shift', 'While drawing: the other way round, a straight line'],
  ['hold Space', 'With a brush in hand: turn the object'],
  ['Esc', 'Put the brush away'],
  ['Arrow keys, with Shift', 'On the middle of a decal: move it; turn and scale it'],
  ['Arrow keys, with Shift', 'On a number: up and down, finely'],
  ['Arrow keys, Enter', 'Values side by side: choose, take'],
  ['N, W', 'Values side by side: narrower, wider'],
  ['1 to 8', 'Review: the set-ups of light'],
  ['Ctrl Z', 'Undo'],
  ['Ctrl Shift Z or Ctrl Y', 'Redo'],
  ['Alt ← and Alt →', 'On a card: move the layer'],
  ['F2, Delete', 'On a card: rename, remove (also a folded episode)'],
  ['?', 'The guide, with these keys'],
  ['F1', 'In the guide: what is under the pointer, or what has the focus'],
]
</script>

<template>
  <dl>
    <template v-for="[key, what] in KEYS" :key="key">
      <dt>{{ key }}</dt>
      <dd>{{ what }}</dd>
    </template>
  </dl>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 160px 1fr;
  gap: 6px 12px;
  margin: 0;
}
dt {
  font-weight: 600;
}
dd {
  margin: 0;
}
</style>
