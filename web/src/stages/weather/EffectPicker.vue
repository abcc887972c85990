<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import { api, bringTreatment } from '../../api/client'
import { pictureUrl } from '../../api/pictures'
import type { Entry, ShelvedTreatment } from '../../api/scene'
import KindGlyph from '../../controls/KindGlyph.vue'
import { useWork } from '../../stores/work'
import { useGlimpses } from './useGlimpses'

/**
 * What can happen next, each as it would look on this very object; and treatments, which are several things at once.
 */
const work = useWork()
const visible = ref(false)
/** A dialog of its own for each opening: one that is still fading out cannot be opened again. */
const round = ref(0)
const query = ref('')
const tab = ref<'effects' | 'treatments'>('effects')
const field = ref<{ $el: HTMLInputElement }>()
const { found, trouble, begin, stop } = useGlimpses()

const wanted = computed(() => query.value.trim().toLowerCase())
const groups = computed(() =>
  (work.catalogue?.effect_groups ?? [])
    .map((title) => ({
      title,
      effects: (work.catalogue?.effects ?? []).filter(
        (e) => e.group === title && `${e.title} ${e.about} ${e.when} ${title}`.toLowerCase().includes(wanted.value),
      ),
    }))
    .filter((g) => g.effects.length),
)
/** Families that are missing today among those that are acted on. */
function missing(families: string[]): string {
  const shown = work.evaluation?.exposed
  if (!families.length || !shown || !Object.keys(shown).length || families.some((f) => (shown[f] ?? 0) > 0)) return ''
  return `No ${families.map((f) => work.catalogue?.families[f] ?? f).join(' or ')} shows here today`
}
const lacks = (effect: Entry) => missing(effect.acts_on ?? [])

// ---- treatments -----------------------------------------------------------------------------------------------------
const shelf = ref<ShelvedTreatment[]>([])
const treatments = computed(() =>
  shelf.value.filter((t) => `${t.title} ${t.about} ${t.layers.join(' ')}`.toLowerCase().includes(wanted.value)),
)
async function list() {
  const { data } = await api.GET('/api/treatments')
  shelf.value = data ?? []
}
function putOn(one: ShelvedTreatment) {
  visible.value = false
  void work.treat(one.name, one.title)
}
async function remove(one: ShelvedTreatment) {
  await api.DELETE('/api/treatments', { params: { query: { name: one.name } } })
  await list()
}
const chooser = ref<HTMLInputElement>()
const wrong = ref('')
async function bring(event: Event) {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file) return
  wrong.value = ''
  try {
    await bringTreatment(file)
    await list()
    look()
  } catch (error) {
    wrong.value = error instanceof Error ? error.message : 'The file was not taken in.'
  }
}

// ---- pictures -------------------------------------------------------------------------------------------------------
function look() {
  void begin(
    tab.value === 'effects'
      ? groups.value.flatMap((g) => g.effects.map((e) => ({ key: e.kind, kind: e.kind })))
      : treatments.value.map((t) => ({ key: `treatment ${t.name}`, treatment: t.name })),
  )
}
watch(tab, async () => {
  if (tab.value === 'treatments' && !shelf.value.length) await list()
  look()
})
watch(visible, (on) => !on && stop())
onBeforeUnmount(stop)

async function open() {
  query.value = ''
  wrong.value = ''
  round.value++
  visible.value = true
  if (tab.value === 'treatments') await list()
  await nextTick()
  setTimeout(() => field.value?.$el.focus(), 60)
  look()
}
function add(kind: string) {
  visible.value = false
  void work.addLayer(kind)
}
function first() {
  if (tab.value === 'effects') {
    // What bears the name that was typed comes before what only speaks of it.
    const all = groups.value.flatMap((g) => g.effects)
    const effect = all.find((e) => e.title.toLowerCase().includes(wanted.value)) ?? all[0]
    if (effect) add(effect.kind)
  } else if (treatments.value[0]) putOn(treatments.value[0])
}
defineExpose({ open })
</script>

<template>
  <Dialog
    :key="round"
    v-model:visible="visible"
    modal
    dismissable-mask
    header="What happened next?"
    :style="{ width: '860px' }"
  >
    <div class="top">
      <InputText
        ref="field"
        v-model="query"
        placeholder="Search"
        autofocus
        aria-label="Search effects"
        @keydown.enter="first"
      />
      <span class="tabs" role="group" aria-label="What to choose from">
        <button type="button" class="press" :aria-pressed="tab === 'effects'" @click="tab = 'effects'">
          One thing
        </button>
        <button type="button" class="press" :aria-pressed="tab === 'treatments'" @click="tab = 'treatments'">
          A treatment
        </button>
      </span>
      <span class="fill" />
      <template v-if="tab === 'treatments'">
        <Button
          size="small"
          severity="secondary"
          label="Bring in a file"
          icon="pi pi-upload"
          @click="chooser?.click()"
        />
        <input ref="chooser" type="file" accept=".json" hidden data-testid="treatment-file" @change="bring" />
      </template>
    </div>
    <p v-if="wrong || trouble" class="lacks" role="alert">{{ wrong || trouble }}</p>
    <div class="list">
      <template v-if="tab === 'effects'">
        <p v-if="!groups.length" class="muted none">Nothing of that name can happen yet.</p>
        <section v-for="group in groups" :key="group.title">
          <h3 class="muted">{{ group.title }}</h3>
          <div class="grid">
            <button
              v-for="effect in group.effects"
              :key="effect.kind"
              v-tooltip.bottom="effect.when || undefined"
              type="button"
              class="effect"
              :data-effect="effect.kind"
              @click="add(effect.kind)"
            >
              <span class="picture">
                <img v-if="found.get(effect.kind)?.picture" :src="pictureUrl(found.get(effect.kind)!.picture)" alt="" />
              </span>
              <span class="words">
                <b>
                  <KindGlyph :family="effect.family" />
                  {{ effect.title }}
                </b>
                <span class="muted">{{ effect.about }}</span>
                <span v-if="lacks(effect)" class="lacks">{{ lacks(effect) }}</span>
              </span>
            </button>
          </div>
        </section>
      </template>
      <template v-else>
        <p v-if="!treatments.length" class="muted none">
          No treatment of that name. Save an episode as one, or bring in a file.
        </p>
        <div class="grid">
          <div v-for="one in treatments" :key="one.name" class="effect" :data-treatment="one.name">
            <button type="button" class="whole" @click="putOn(one)">
              <span class="picture">
                <img
                  v-if="found.get(`treatment ${one.name}`)?.picture"
                  :src="pictureUrl(found.get(`treatment ${one.name}`)!.picture)"
                  alt=""
                />
              </span>
              <span class="words">
                <b>{{ one.title }}</b>
                <span class="muted">{{ one.about || one.layers.join(', ') }}</span>
                <span v-if="missing(one.families)" class="lacks">{{ missing(one.families) }}</span>
              </span>
            </button>
            <span class="side">
              <a
                v-tooltip.left="'Export as a file'"
                class="icon-button"
                :href="`/api/treatments/file?name=${encodeURIComponent(one.name)}`"
                download
                :aria-label="`Export ${one.title}`"
              >
                <i class="pi pi-download" />
              </a>
              <button
                v-if="one.own"
                v-tooltip.left="'Remove from the shelf'"
                type="button"
                class="icon-button"
                :aria-label="`Remove ${one.title}`"
                @click="remove(one)"
              >
                <i class="pi pi-trash" />
              </button>
            </span>
          </div>
        </div>
      </template>
    </div>
  </Dialog>
</template>

<style scoped>
.top {
  display: flex;
  align-items: center;
  gap: 10px;
}
.top :deep(input.p-inputtext) {
  width: 260px;
}
.tabs {
  display: flex;
  gap: 2px;
}
.fill {
  flex: 1;
}
.list {
  height: min(58vh, 560px);
  overflow-y: auto;
  scrollbar-gutter: stable;
  margin-top: 8px;
}
h3 {
  font-size: 12px;
  font-weight: 600;
  padding: 10px 0 4px;
}
.grid {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.effect {
  position: relative;
  display: flex;
  gap: 12px;
  align-items: flex-start;
  text-align: left;
  padding: 6px;
  border: 1px solid var(--line);
  border-radius: 5px;
  min-width: 0;
}
.effect:hover,
.effect:focus-visible,
.effect:focus-within {
  background: var(--tint);
  border-color: var(--verdigris);
}
.whole {
  display: flex;
  gap: 12px;
  align-items: flex-start;
  text-align: left;
  flex: 1;
  min-width: 0;
}
.picture {
  flex: none;
  width: 148px;
  height: 104px;
  border-radius: 3px;
  background: #868686;
  overflow: hidden;
}
.picture img {
  width: 100%;
  height: 100%;
  display: block;
}
.words {
  display: grid;
  gap: 2px;
  align-content: start;
}
.words b {
  display: flex;
  align-items: center;
  gap: 7px;
}
.side {
  display: grid;
  gap: 2px;
}
.lacks {
  color: var(--oxide);
}
.none {
  padding-top: 14px;
}
</style>
