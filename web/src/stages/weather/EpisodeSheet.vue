<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Menu from 'primevue/menu'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, ref } from 'vue'
import NumberField from '../../controls/NumberField.vue'
import { percent } from '../../figures/format'
import { useWork } from '../../stores/work'
import RecipeEditor from '../../recipe/RecipeEditor.vue'
import TreatmentSaver from './TreatmentSaver.vue'

/** The selected episode: layers that belong together, with one place and one strength over theirs. */
const work = useWork()
const episode = computed(() => work.episode!)
const layers = computed(() => work.members(work.selectedEpisode))
const STRENGTH = {
  title: 'Strength',
  unit: '%',
  soft: [0, 1] as [number, number],
  minimum: 0,
  maximum: 1,
  default: 1,
  control: 'slider' as const,
  description: 'Multiplies the strength of its layers',
}
const recipe = ref<InstanceType<typeof RecipeEditor>>()
const saver = ref<InstanceType<typeof TreatmentSaver>>()
const menu = ref<InstanceType<typeof Menu>>()
const id = computed(() => episode.value.id)
const actions = computed(() => [
  {
    label: episode.value.folded ? 'Unfold' : 'Fold to one card',
    icon: 'pi pi-angle-double-left',
    command: () => work.fold(id.value, !episode.value.folded),
  },
  { label: 'Duplicate', icon: 'pi pi-clone', command: () => work.duplicateEpisode(id.value) },
  { label: 'Earlier', icon: 'pi pi-arrow-left', command: () => work.moveEpisode(id.value, 'earlier') },
  { label: 'Later', icon: 'pi pi-arrow-right', command: () => work.moveEpisode(id.value, 'later') },
  {
    label: 'Save as treatment…',
    icon: 'pi pi-bookmark',
    command: () =>
      saver.value?.open(
        episode.value.name,
        layers.value.map((l) => l.id),
      ),
  },
  { separator: true },
  { label: 'Dissolve, keep the layers', icon: 'pi pi-times', command: () => work.dissolve(id.value) },
  { label: 'Remove with its layers', icon: 'pi pi-trash', command: () => work.removeEpisode(id.value) },
])
function rename(event: Event) {
  const text = (event.target as HTMLInputElement).value.trim().slice(0, 80)
  if (text && text !== episode.value.name) work.renameEpisode(id.value, text)
}
defineExpose({
  addReading: (name: string, size: number, component?: string) => recipe.value?.addReading(name, size, component),
})
</script>

<template>
  <aside class="sheet" aria-label="Selected episode">
    <header class="sheet-head">
      <InputText
        :key="episode.id + episode.name"
        :model-value="episode.name"
        size="small"
        maxlength="80"
        aria-label="Name of the episode"
        @change="rename"
        @keydown.enter="(e: KeyboardEvent) => (e.target as HTMLInputElement).blur()"
      />
      <label class="muted" for="episode-on">{{ episode.on ? 'on' : 'off' }}</label>
      <ToggleSwitch
        input-id="episode-on"
        :model-value="episode.on"
        @update:model-value="(v) => work.switchEpisode(id, v)"
      />
      <button type="button" class="icon-button" aria-label="More for this episode" @click="(e) => menu?.toggle(e)">
        <i class="pi pi-ellipsis-h" />
      </button>
      <Menu ref="menu" :model="actions" popup />
    </header>
    <div class="scroll">
      <section class="sheet-part">
        <h3>What happened?</h3>
        <button v-for="layer in layers" :key="layer.id" type="button" class="member" @click="work.select(layer.id)">
          <span class="clip">{{ layer.name }}</span>
          <span class="muted">{{ percent(work.outcome.get(layer.id)?.coverage ?? 0) }}</span>
        </button>
      </section>
      <RecipeEditor
        ref="recipe"
        :recipe="episode.where"
        :place="`episodes[${episode.id}]`"
        :name="episode.name"
        said="multiplies into the places of its layers"
        :on="episode.on"
      />
      <section class="sheet-part">
        <h3>How much?</h3>
        <NumberField
          name="episode-strength"
          :field="STRENGTH"
          :model-value="episode.strength"
          @drag="(v) => ((episode.strength = v), work.preview())"
          @done="work.commit(`${episode.name}: strength`)"
        />
      </section>
    </div>
    <TreatmentSaver ref="saver" />
  </aside>
</template>

<style scoped>
.member {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  width: 100%;
  padding: 4px 6px;
  border-radius: 4px;
  text-align: left;
}
.member:hover {
  background: var(--tint);
}
</style>
