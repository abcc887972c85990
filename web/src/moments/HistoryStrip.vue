<script setup lang="ts">
import { onMounted, ref, watch } from 'vue'
import { useBrackets } from '../stores/brackets'
import { useWork } from '../stores/work'
import { useMoments } from '../stores/moments'

/** What was done to the surface, the newest first, with pictures; any of it can be compared and gone back to. */
const moments = useMoments()
const work = useWork()
const brackets = useBrackets()
const pictures = ref<Record<number, string>>({})
onMounted(() => void moments.lookBack())
watch(
  () => work.version?.version,
  () => void moments.lookBack(),
)
/** A picture is made when its card is looked at, as small as it is shown. */
async function picture(version: number) {
  if (pictures.value[version] !== undefined) return
  pictures.value[version] = ''
  try {
    const about = { base: version, edits: [] }
    const found = await work.aside({ about, size: 256, until: null, look: undefined, wanted: () => !brackets.open })
    if (found && brackets.camera) pictures.value[version] = await brackets.camera(found, 150, 96)
    else delete pictures.value[version]
  } catch {
    // It shows without one.
  }
}
const time = (text: string) => new Date(text).toLocaleString([], { dateStyle: 'short', timeStyle: 'short' })
</script>

<template>
  <section class="band" aria-label="History">
    <button
      v-for="row in moments.history"
      :key="row.version"
      type="button"
      class="card"
      :class="{ on: row.shown }"
      :data-version="row.version"
      :aria-label="`${row.label || 'As it was brought'}, ${time(row.created)}`"
      @pointerenter="picture(row.version)"
      @focus="picture(row.version)"
      @click="
        row.shown ? moments.release() : moments.hold({ title: row.label || 'As it was brought', version: row.version })
      "
      @dblclick="row.shown || moments.back(row.version)"
    >
      <img v-if="pictures[row.version]" :src="pictures[row.version]" alt="" />
      <i v-else class="blank" />
      <b class="clip">{{ row.label || 'As it was brought' }}</b>
      <small class="muted">{{ row.shown ? 'now' : time(row.created) }}</small>
    </button>
    <p v-if="moments.held && !moments.held.moment" class="go">
      <button type="button" class="link" @click="moments.back(moments.held!.version)">Go back to it</button>
    </p>
  </section>
</template>

<style scoped>
.band {
  display: flex;
  gap: 8px;
  padding: 10px 12px;
  overflow-x: auto;
  min-width: 0;
}
.card {
  display: flex;
  flex-direction: column;
  flex: 0 0 128px;
  border: 1px solid var(--line);
  border-radius: 4px;
  overflow: hidden;
  background: var(--panel);
  text-align: left;
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
.card b,
.card small {
  padding: 0 8px;
}
.card small {
  padding-bottom: 4px;
}
.go {
  position: sticky;
  right: 0;
  align-self: center;
  background: var(--paper);
  padding: 8px 12px;
  white-space: nowrap;
}
</style>
