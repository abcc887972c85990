<script setup lang="ts">
import MomentList from '../../moments/MomentList.vue'
import { SETUPS, type Setup } from '../../view3d/lights'

/** The set-ups of light, with their keys; a ball shows where each comes from. */
defineProps<{ chosen: string }>()
defineEmits<{ choose: [id: string] }>()
/** A ball in that light: its bright side where the key light or the brightest of the surroundings stands. */
function ball(one: Setup): string {
  const tone = (c: number[], k: number) =>
    `rgb(${c.map((x) => Math.round(255 * Math.min(1, x * k) ** (1 / 2.2))).join(' ')})`
  const a = (one.azimuth * Math.PI) / 180
  const across = 50 + 38 * Math.sin(a) * Math.cos((one.elevation * Math.PI) / 180)
  const down = one.id === 'table' ? 92 : 50 - 40 * Math.sin((one.elevation * Math.PI) / 180)
  const lit = one.tint.map((t, k) => (t * one.key) / 5 + one.sky(0, 60)[k] * one.around * 0.4)
  const shade = one.sky(180, 20).map((s) => s * one.around * 0.35)
  return `radial-gradient(circle at ${across}% ${down}%, ${tone(lit, one.exposure * 1.3)}, ${tone(shade, one.exposure)} 78%)`
}
</script>

<template>
  <nav class="side-list" aria-label="Light">
    <h2 class="muted">Light</h2>
    <div v-for="(one, k) in SETUPS" :key="one.id" class="row" :class="{ on: one.id === chosen }">
      <button
        v-tooltip.right="one.about"
        type="button"
        class="pick"
        :aria-current="one.id === chosen"
        :data-light="one.id"
        @click="$emit('choose', one.id)"
      >
        <i class="ball" :style="{ background: ball(one) }" />
        <span class="clip">{{ one.title }}</span>
      </button>
      <kbd>{{ k + 1 }}</kbd>
    </div>
    <MomentList />
    <p class="muted how">Turn it with the disc in the view or with [ and ]. The light stays as it is in every stage.</p>
  </nav>
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
.ball {
  width: 22px;
  height: 22px;
  border-radius: 50%;
  flex: none;
}
.how {
  padding: 10px 14px;
  font-size: 12px;
}
</style>
