<script setup lang="ts">
/** A line under the top bar: something came from outside, to be looked at or left. */
defineProps<{ label: string }>()
</script>

<template>
  <section class="offered" :aria-label="label" role="status"><slot /></section>
</template>

<style scoped>
.offered {
  display: flex;
  gap: 4px 16px;
  flex-wrap: wrap;
  align-items: baseline;
  padding: 6px 14px;
  background: var(--panel);
  border-bottom: 1px solid var(--verdigris);
}
</style>
