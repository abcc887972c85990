<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Popover from 'primevue/popover'
import { computed, ref } from 'vue'
import { useHand } from '../stores/hand'
import { useWork } from '../stores/work'
import BrushPicture from './BrushPicture.vue'

/** Brushes to take up again: those that ship, and one's own, kept in this browser. */
const hand = useHand()
const work = useWork()
const shelf = ref<InstanceType<typeof Popover>>()
const name = ref('')
const shipped = computed(() =>
  (work.catalogue?.brushes ?? []).map((b) => ({ title: b.title, about: b.about, settings: b.settings, own: false })),
)
const all = computed(() => [
  ...shipped.value,
  ...hand.own.map((b) => ({ ...b, about: 'Your own, kept in this browser', own: true })),
])
const whole = (settings: Record<string, unknown>) => ({ ...hand.usual, ...settings })
/** Size and seed belong to the hand and not to the brush. */
const alike = (settings: Record<string, unknown>) =>
  Object.entries(whole(settings)).every(
    ([field, value]) => field === 'size_mm' || field === 'seed' || hand.settings[field] === value,
  )
const now = computed(() => all.value.find((b) => alike(b.settings)))
function take(settings: Record<string, unknown>) {
  hand.takeUp(settings)
  shelf.value?.hide()
}
function keep() {
  const title = name.value.trim().slice(0, 40)
  if (!title) return
  hand.keepBrush(title)
  name.value = ''
}
</script>

<template>
  <button
    v-tooltip.top="'Brushes'"
    type="button"
    class="now"
    aria-haspopup="dialog"
    :aria-label="`Brush: ${now?.title ?? 'as it is set'}. Choose another`"
    @click="(e) => shelf?.toggle(e)"
  >
    <BrushPicture :settings="hand.settings" />
    <span class="for-readers">{{ now?.title ?? 'As set' }}</span>
  </button>
  <Popover ref="shelf">
    <div class="shelf" role="dialog" aria-label="Brushes">
      <div v-for="b in all" :key="`${b.own} ${b.title}`" class="one" :class="{ on: b === now }">
        <button v-tooltip.right="b.about" type="button" :aria-pressed="b === now" @click="take(b.settings)">
          <BrushPicture :settings="whole(b.settings)" />
          {{ b.title }}
        </button>
        <button
          v-if="b.own"
          type="button"
          class="icon-button"
          :aria-label="`Throw away the brush ${b.title}`"
          @click="hand.dropBrush(b.title)"
        >
          <i class="pi pi-times" />
        </button>
      </div>
      <form class="keep" @submit.prevent="keep">
        <InputText
          v-model="name"
          size="small"
          fluid
          maxlength="40"
          placeholder="Keep this brush as"
          aria-label="Name"
        />
        <button type="submit" class="press" :disabled="!name.trim()">Keep</button>
      </form>
    </div>
  </Popover>
</template>

<style scoped>
.now {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
}
.shelf {
  width: 250px;
  display: grid;
}
.one {
  display: flex;
  align-items: center;
  border-radius: 4px;
}
.one.on {
  background: var(--tint);
}
.one > button:first-child {
  flex: 1;
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 3px 6px;
  text-align: left;
}
.one:hover {
  background: color-mix(in srgb, var(--tint) 60%, transparent);
}
.keep {
  display: flex;
  gap: 6px;
  padding-top: 8px;
}
</style>
