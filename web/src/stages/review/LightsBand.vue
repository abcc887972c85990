<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { Plan } from '../../rest'
import { useWork } from '../../stores/work'
import { SETUPS } from '../../view3d/lights'

/** The surface in all lights at once, as it is seen just now; drawn when the view has come to rest. */
const props = defineProps<{ chosen: string; pictures: (width: number, height: number) => Record<string, string> }>()
defineEmits<{ choose: [id: string] }>()
const work = useWork()
const WIDTH = 192
const HEIGHT = 128
const drawn = ref<Record<string, string>>({})
const next = new Plan('pictures in all lights')
const draw = () => (drawn.value = props.pictures(WIDTH, HEIGHT))
const anew = () => next.after(500, draw)
watch(() => work.evaluation, anew)
onMounted(anew)
onBeforeUnmount(() => next.off())
</script>

<template>
  <section class="band" aria-label="In all lights">
    <div class="head">
      <b>In all lights</b>
      <p class="muted">What holds in one light fails in the next.</p>
      <button type="button" class="link" @click="draw()">As seen now</button>
    </div>
    <div class="cards">
      <button
        v-for="(one, k) in SETUPS"
        :key="one.id"
        type="button"
        class="card"
        :class="{ on: one.id === chosen }"
        @click="$emit('choose', one.id)"
      >
        <img v-if="drawn[one.id]" :src="drawn[one.id]" alt="" />
        <i v-else class="blank" />
        <span class="name">
          <b class="clip">{{ one.title }}</b>
          <kbd>{{ k + 1 }}</kbd>
        </span>
      </button>
    </div>
  </section>
</template>

<style scoped>
.band {
  display: flex;
  min-width: 0;
}
.head {
  width: 190px;
  flex: none;
  padding: 12px 14px;
  display: grid;
  gap: 6px;
  align-content: start;
  justify-items: start;
  border-right: 1px solid var(--line);
}
.cards {
  display: grid;
  grid-template-columns: repeat(8, minmax(96px, 1fr));
  gap: 8px;
  padding: 10px 12px;
  flex: 1;
  min-width: 0;
  overflow-x: auto;
}
.card {
  display: flex;
  flex-direction: column;
  border: 1px solid var(--line);
  border-radius: 4px;
  overflow: hidden;
  background: var(--panel);
  text-align: left;
  min-width: 0;
}
.card.on {
  border-color: var(--verdigris);
  box-shadow: inset 0 0 0 1px var(--verdigris);
}
.card img,
.blank {
  width: 100%;
  flex: 1;
  min-height: 0;
  object-fit: cover;
  background: #868686;
}
.name {
  display: flex;
  justify-content: space-between;
  gap: 6px;
  padding: 4px 8px;
}
</style>
