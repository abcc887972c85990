<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Menu from 'primevue/menu'
import ToggleSwitch from 'primevue/toggleswitch'
import { computed, nextTick, ref, watch } from 'vue'
import FieldList from '../../controls/FieldList.vue'
import KindGlyph from '../../controls/KindGlyph.vue'
import { fieldsOf } from '../../api/scene'
import NumberField from '../../controls/NumberField.vue'
import { percent } from '../../figures/format'
import { useGuide } from '../../stores/guide'
import { useWork } from '../../stores/work'
import ChannelChips from './ChannelChips.vue'
import RecipeEditor from '../../recipe/RecipeEditor.vue'
import TreatmentSaver from './TreatmentSaver.vue'

/** The selected layer answers three questions: what happened, where, how much. */
const work = useWork()
const guide = useGuide()
const layer = computed(() => work.selected)
const effect = computed(() => (layer.value ? work.effects.get(layer.value.effect.kind) : undefined))
const outcome = computed(() => work.outcome.get(work.selectedId))
const STRENGTH = {
  title: 'Strength',
  unit: '%',
  soft: [0, 1] as [number, number],
  minimum: 0,
  maximum: 1,
  default: 1,
  control: 'slider' as const,
  description: 'The whole layer, weaker',
}

const recipe = ref<InstanceType<typeof RecipeEditor>>()
const renaming = ref(false)
const name = ref('')
const nameField = ref<{ $el: HTMLInputElement }>()
async function rename() {
  name.value = layer.value?.name ?? ''
  renaming.value = true
  await nextTick()
  nameField.value?.$el.select()
}
function renamed(keep: boolean) {
  if (!renaming.value) return
  renaming.value = false
  const text = name.value.trim().slice(0, 80)
  if (keep && text && layer.value && text !== layer.value.name) work.renameLayer(layer.value!.id, text)
}
watch(
  () => work.selectedId,
  () => (renaming.value = false),
)
defineExpose({
  rename,
  addReading: (name: string, size: number, component?: string) => recipe.value?.addReading(name, size, component),
})

const menu = ref<InstanceType<typeof Menu>>()
const place = computed(() => work.scene?.layers.findIndex((l) => l.id === work.selectedId) ?? -1)
const saver = ref<InstanceType<typeof TreatmentSaver>>()
/** Episodes that end or begin right beside it. */
const neighbours = computed(() => {
  const layers = work.scene?.layers ?? []
  const beside = [layers[place.value - 1]?.episode, layers[place.value + 1]?.episode]
  return (work.scene?.episodes ?? []).filter((e) => beside.includes(e.id))
})
const SINCE = computed(() => ({
  title: 'Begins in year',
  unit: 'years',
  soft: [0, Math.max(1, work.today)] as [number, number],
  minimum: 0,
  maximum: 500,
  default: 0,
  control: 'slider' as const,
  description: 'Years after the object was new; the years dial plays it from there',
}))
const LAWS: Record<string, string> = {
  'at once': 'It is there from its year on',
  even: 'It grows in step with the years',
  root: 'It grows by the root of time: quickly first, then slower',
  late: 'It comes late: by the square of time',
  years: 'It grows by its own years',
}
const actions = computed(() => [
  { label: 'Rename', icon: 'pi pi-pencil', command: rename },
  { label: 'Duplicate', icon: 'pi pi-clone', command: () => work.duplicateLayer(work.selectedId) },
  {
    label: 'Earlier',
    icon: 'pi pi-arrow-left',
    disabled: place.value <= 0,
    command: () => work.moveLayer(work.selectedId, place.value - 1),
  },
  {
    label: 'Later',
    icon: 'pi pi-arrow-right',
    disabled: place.value >= (work.scene?.layers.length ?? 0) - 1,
    command: () => work.moveLayer(work.selectedId, place.value + 1),
  },
  ...(layer.value?.episode
    ? [
        {
          label: 'Out of its episode',
          icon: 'pi pi-sign-out',
          command: () => work.join(work.selectedId, ''),
        },
        {
          label: 'Split the episode here',
          icon: 'pi pi-arrows-h',
          disabled: work.members(layer.value.episode)[0]?.id === work.selectedId,
          command: () => work.splitEpisode(work.selectedId),
        },
      ]
    : [
        {
          label: 'New episode from here',
          icon: 'pi pi-sitemap',
          command: () => work.gather([work.selectedId], layer.value!.name),
        },
        ...neighbours.value.map((e) => ({
          label: `Into '${e.name}'`,
          icon: 'pi pi-sign-in',
          command: () => work.join(work.selectedId, e.id),
        })),
      ]),
  {
    label: 'Save as treatment…',
    icon: 'pi pi-bookmark',
    command: () => saver.value?.open(layer.value!.name, [work.selectedId]),
  },
  { separator: true },
  {
    label: 'In the guide',
    icon: 'pi pi-book',
    command: () => guide.show({ what: 'effect', kind: layer.value!.effect.kind }),
  },
  { label: 'Return settings to defaults', icon: 'pi pi-undo', command: resetAll },
  { label: 'Remove', icon: 'pi pi-trash', command: () => work.removeLayer(work.selectedId) },
])
const resetAll = () => work.resetLayer(work.selectedId)

function dragEffect(field: string, value: unknown) {
  layer.value!.effect[field] = value
  work.preview()
}
const done = (title: string) => void work.commit(`${layer.value?.name}: ${title.toLowerCase()}`)

const hasAmount = computed(
  () => !!effect.value && fieldsOf(effect.value.schema).some(([, field]) => field.place === 'amount'),
)
</script>

<template>
  <aside class="sheet" aria-label="Selected layer" :data-guide="layer ? `effect:${layer.effect.kind}` : undefined">
    <div v-if="!layer || !effect" class="empty">
      <h2>No layer is selected</h2>
      <p class="muted">Choose a card in the chronicle below, or add what happened next.</p>
    </div>
    <template v-else>
      <header class="sheet-head">
        <KindGlyph :family="effect.family" />
        <InputText
          v-if="renaming"
          ref="nameField"
          v-model="name"
          size="small"
          maxlength="80"
          aria-label="Name of the layer"
          @blur="renamed(true)"
          @keydown.enter="renamed(true)"
          @keydown.esc.stop="renamed(false)"
        />
        <button v-else v-tooltip.bottom="'Rename'" type="button" class="title clip" @click="rename">
          {{ layer.name }}
        </button>
        <label class="muted" for="layer-on">{{ layer.on ? 'on' : 'off' }}</label>
        <ToggleSwitch
          input-id="layer-on"
          :model-value="layer.on"
          @update:model-value="(v) => work.switchLayer(layer!.id, v)"
        />
        <button type="button" class="icon-button" aria-label="More for this layer" @click="(e) => menu?.toggle(e)">
          <i class="pi pi-ellipsis-h" />
        </button>
        <Menu ref="menu" :model="actions" popup />
      </header>
      <div class="scroll">
        <p v-if="outcome?.note" class="note" role="status">
          <i class="pi pi-info-circle" />
          {{ outcome.note }}.
        </p>

        <section class="sheet-part">
          <h3>
            What happened?
            <small class="muted">
              {{ effect.title === layer.name ? effect.family : `${effect.title}, ${effect.family}` }}
            </small>
          </h3>
          <FieldList
            :schema="effect.schema"
            :values="layer.effect"
            :ranges="outcome?.ranges as Record<string, [number, number]>"
            place=""
            @drag="dragEffect"
            @done="(_n, _v, title) => done(title)"
          />
        </section>

        <RecipeEditor
          ref="recipe"
          :recipe="layer.where"
          :place="`layers[${layer.id}]`"
          :name="layer.name"
          :said="outcome ? `covers ${percent(outcome.coverage)} of the surface` : 'off'"
          :on="layer.on"
          by-hand
        />

        <section class="sheet-part">
          <h3>How much?</h3>
          <FieldList
            v-if="hasAmount"
            :schema="effect.schema"
            :values="layer.effect"
            :ranges="outcome?.ranges as Record<string, [number, number]>"
            place="amount"
            :coverage="outcome?.coverage"
            @drag="dragEffect"
            @done="(_n, _v, title) => done(title)"
          />
          <NumberField
            name="strength"
            :field="STRENGTH"
            :model-value="layer.strength"
            @drag="(v) => ((layer!.strength = v), work.preview())"
            @done="done('strength')"
          />
          <NumberField
            name="since"
            :field="SINCE"
            :model-value="layer.since"
            @drag="(v) => ((layer!.since = v), work.preview())"
            @done="done('begins')"
          />
          <div class="held">
            <label v-tooltip.left="'As it is set from its year on, whatever the years dial says'" for="held">
              Held, does not grow
            </label>
            <ToggleSwitch
              input-id="held"
              :model-value="layer.fixed"
              @update:model-value="(v) => work.edit(v ? 'Hold' : 'Let grow', () => (layer!.fixed = v))"
            />
          </div>
          <p class="muted law">{{ layer.fixed ? 'It stays as it is set' : LAWS[effect.law ?? 'at once'] }}.</p>
          <ChannelChips :layer="layer" :family="effect.family" />
        </section>
      </div>
    </template>
    <TreatmentSaver ref="saver" />
  </aside>
</template>

<style scoped>
.held {
  display: flex;
  align-items: center;
  justify-content: space-between;
  min-height: 28px;
}
.law {
  font-size: 12px;
  padding-bottom: 4px;
}
.title {
  font-size: 16px;
  font-weight: 600;
  flex: 1;
  text-align: left;
}
.note {
  margin: 8px 16px 0;
  padding: 6px 10px;
  border-radius: 4px;
  border: 1px solid color-mix(in srgb, var(--oxide) 45%, var(--line));
  color: var(--oxide);
}
.empty {
  padding: 32px 24px;
  display: grid;
  gap: 6px;
}
.empty h2 {
  font-size: 15px;
}
</style>
