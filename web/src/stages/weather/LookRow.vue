<script setup lang="ts">
import { pictureUrl } from '../../api/pictures'

/** A row of the list of looks: a small picture, a name, and what stands behind it. */
defineProps<{ title: string; picture?: string; on: boolean; hint?: string; name?: string; disabled?: boolean }>()
defineEmits<{ pick: [] }>()
</script>

<template>
  <div class="row" :class="{ on }">
    <button
      v-tooltip.right="hint"
      type="button"
      class="pick"
      :aria-current="on"
      :disabled="disabled"
      :data-look="name"
      @click="$emit('pick')"
    >
      <img v-if="picture" :src="pictureUrl(picture)" alt="" />
      <i v-else class="blank" />
      <span class="clip">{{ title }}</span>
    </button>
    <slot />
  </div>
</template>

<style scoped>
.pick {
  display: flex;
  flex: 1;
  min-width: 0;
  align-items: center;
  gap: 9px;
  text-align: left;
  min-height: 27px;
}
.pick:disabled {
  opacity: 0.45;
}
</style>
