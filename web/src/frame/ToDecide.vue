<script setup lang="ts">
/** A line under the top bar with something to decide: what came from outside, or was overtaken (`trouble`). */
defineProps<{ label: string; trouble?: boolean }>()
</script>

<template>
  <section class="decide" :class="{ trouble }" :aria-label="label" :role="trouble ? undefined : 'status'">
    <slot />
  </section>
</template>

<style scoped>
.decide {
  display: flex;
  gap: 4px 16px;
  flex-wrap: wrap;
  align-items: baseline;
  padding: 6px 14px;
  background: var(--panel);
  border-bottom: 1px solid var(--verdigris);
  max-height: 120px;
  overflow: auto;
}
.decide.trouble {
  border-color: var(--oxide);
}
.decide :deep(p) {
  margin: 0;
}
</style>
