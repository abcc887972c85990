<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import { computed, nextTick, reactive, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import type { GuideEntry } from '../api/scene'
import { pageOf, useGuide } from '../stores/guide'
import { useWork } from '../stores/work'
import KeyboardKeys from './KeyboardKeys.vue'

/** What everything is for: to be searched, and opened from where one works. */
const guide = useGuide()
const work = useWork()
const route = useRoute()
const wanted = ref('')
const words = computed(() => wanted.value.trim().toLowerCase().split(/\s+/).filter(Boolean))
const text = (e: GuideEntry) =>
  [
    e.title,
    e.group,
    e.summary,
    e.when,
    e.figures,
    ...e.notes,
    ...e.acts_on,
    ...e.fields.flatMap((f) => [f.title, f.about]),
  ]
    .join(' ')
    .toLowerCase()
const searched = computed(() => guide.entries.map((entry) => ({ entry, text: text(entry) })))
/** Those whose name fits come first within their group. */
const groups = computed(() => {
  const out = new Map<string, GuideEntry[]>()
  for (const { entry, text } of searched.value)
    if (words.value.every((word) => text.includes(word))) out.set(entry.group, [...(out.get(entry.group) ?? []), entry])
  const named = (e: GuideEntry) => (words.value.every((word) => e.title.toLowerCase().includes(word)) ? 0 : 1)
  if (!words.value.length) return [...out]
  return [...out]
    .map(([name, list]) => [name, [...list].sort((a, b) => named(a) - named(b))] as [string, GuideEntry[]])
    .sort(([, a], [, b]) => named(a[0]) - named(b[0]))
})
const entry = computed(() => guide.entries.find((e) => e.what === guide.page.what && e.kind === guide.page.kind))
const isOpen = (e: GuideEntry) => e === entry.value
function turn(e: GuideEntry) {
  guide.page = { what: e.what, kind: e.kind }
}
const LEVELS = [
  ['low', 'a little'],
  ['default', 'as it begins'],
  ['high', 'much'],
] as const
const shots = computed(() => {
  const e = entry.value
  if (!e?.pictures) return []
  const levels = e.levels ? LEVELS : ([['default', '']] as const)
  return (['box', 'figure'] as const).flatMap((on) =>
    levels.map(([level, word]) => ({
      key: `${e.what} ${e.kind} ${on} ${level}`,
      url: `/api/guide/picture?what=${e.what}&kind=${encodeURIComponent(e.kind)}&on=${on}&level=${level}`,
      alt: `${e.title} on a ${on === 'box' ? 'box' : 'turned figure'}${word ? `, ${word}` : ''}`,
      word,
    })),
  )
})
/** What became of each picture: the first time it is made on this machine, which takes seconds. */
const told = reactive<Record<string, 'here' | 'failed'>>({})
const canLay = computed(() => entry.value?.what === 'treatment' && work.bench === 'weather' && !!work.scene)
function lay() {
  const e = entry.value!
  guide.open = false
  void work.treat(e.kind, e.title)
}
const body = ref<HTMLElement>()
watch(
  () => [guide.open, guide.page, guide.entries.length],
  async () => {
    await nextTick()
    const row = guide.page.field && body.value?.querySelector(`[data-guide-field="${guide.page.field}"]`)
    if (row) row.scrollIntoView({ block: 'center' })
    else if (body.value) body.value.scrollTop = 0
  },
)
watch(
  () => guide.open,
  (now) => !now && (wanted.value = ''),
)
// What is under the pointer, else what has the focus.
useEventListener(window, 'keydown', (event: KeyboardEvent) => {
  if (event.key !== 'F1') return
  event.preventDefault()
  const under = [...document.querySelectorAll(':hover')].at(-1) ?? null
  guide.show(pageOf(under) ?? pageOf(document.activeElement))
})
watch(
  () => route.fullPath,
  () => (guide.open = false),
)
</script>

<template>
  <Dialog
    v-model:visible="guide.open"
    modal
    dismissable-mask
    header="Guide"
    :style="{ width: '1000px', height: '80vh' }"
    :content-style="{ padding: '0', overflow: 'hidden', flex: '1' }"
  >
    <div class="guide">
      <nav aria-label="Pages of the guide">
        <InputText
          v-model="wanted"
          size="small"
          fluid
          autofocus
          placeholder="Rust, edges, ISO 9224, puddle…"
          aria-label="Search the guide"
        />
        <div class="list">
          <button
            v-if="!words.length"
            type="button"
            :class="{ on: guide.page.what === 'keys' }"
            :aria-current="guide.page.what === 'keys'"
            @click="guide.page = { what: 'keys', kind: 'keys' }"
          >
            Keyboard
          </button>
          <template v-for="[name, list] in groups" :key="name">
            <h4>{{ name }}</h4>
            <button
              v-for="e in list"
              :key="`${e.what} ${e.kind}`"
              type="button"
              class="clip"
              :class="{ on: isOpen(e) }"
              :aria-current="isOpen(e)"
              :data-page="`${e.what}:${e.kind}`"
              @click="turn(e)"
            >
              {{ e.title }}
            </button>
          </template>
          <p v-if="guide.trouble" role="alert" class="say">
            {{ guide.trouble }}
            <Button size="small" label="Try again" @click="guide.load()" />
          </p>
          <p v-else-if="!groups.length" class="muted say">
            {{ guide.entries.length ? 'Nothing fits. Try another word.' : 'Opening…' }}
          </p>
        </div>
      </nav>
      <article ref="body" tabindex="0" :aria-label="entry?.title ?? 'Keyboard'">
        <template v-if="entry">
          <h2>{{ entry.title }}</h2>
          <p class="lead">
            {{ entry.summary }}.
            <span class="muted">{{ entry.when ? `${entry.when}.` : '' }}</span>
          </p>
          <div v-if="shots.length" class="shots" :class="{ three: entry.levels }">
            <figure v-for="shot in shots" :key="shot.key">
              <img
                :src="shot.url"
                :alt="shot.alt"
                width="198"
                height="156"
                loading="lazy"
                @load="told[shot.key] = 'here'"
                @error="told[shot.key] = 'failed'"
              />
              <span v-if="told[shot.key] !== 'here'" class="way" :role="told[shot.key] ? 'alert' : undefined">
                {{ told[shot.key] ? 'It could not be made. Turn to this page again.' : 'Being made…' }}
              </span>
              <figcaption class="muted">{{ shot.word }}</figcaption>
            </figure>
          </div>
          <Button v-if="canLay" size="small" label="Put it on this object" @click="lay" />
          <p v-if="entry.looks_at.length">
            <b>Looks at</b>
            {{ entry.looks_at.join('; ') }}.
          </p>
          <p v-if="entry.acts_on.length">
            <b>Acts on</b>
            {{ entry.acts_on.join(', ') }}.
          </p>
          <p v-for="note in entry.notes" :key="note">{{ note }}</p>
          <p v-if="entry.grows">{{ entry.grows }}</p>
          <p v-if="entry.figures">
            <b>Figures</b>
            {{ entry.figures }}.
          </p>
          <table v-if="entry.fields.length">
            <caption>Settings</caption>
            <thead>
              <tr>
                <th scope="col">Name</th>
                <th scope="col">What it is</th>
                <th scope="col">Begins at</th>
                <th scope="col">Can be</th>
              </tr>
            </thead>
            <tbody>
              <tr
                v-for="f in entry.fields"
                :key="f.name"
                :data-guide-field="f.name"
                :class="{ meant: guide.page.field === f.name }"
              >
                <th scope="row">{{ f.title }}</th>
                <td>{{ f.about }}</td>
                <td>{{ f.usual }}</td>
                <td>{{ f.range }}</td>
              </tr>
            </tbody>
          </table>
        </template>
        <template v-else-if="guide.page.what === 'keys' || guide.entries.length">
          <h2>Keyboard</h2>
          <KeyboardKeys />
        </template>
      </article>
    </div>
  </Dialog>
</template>

<style scoped>
.guide {
  display: grid;
  grid-template-columns: 232px minmax(0, 1fr);
  height: 100%;
  border-top: 1px solid var(--line);
}
nav {
  display: flex;
  flex-direction: column;
  gap: 6px;
  padding: 12px 0 0 16px;
  border-right: 1px solid var(--line);
  min-height: 0;
}
nav :deep(.p-inputtext) {
  margin-right: 12px;
  width: auto;
}
.list {
  flex: 1;
  overflow-y: auto;
  padding: 0 8px 16px 0;
}
.list button {
  display: block;
  width: 100%;
  text-align: left;
  padding: 4px 8px;
  border-radius: 4px;
  font-size: 13.5px;
}
.list button:hover {
  background: color-mix(in srgb, var(--tint) 55%, transparent);
}
.list button.on {
  background: var(--tint);
}
h4 {
  font-size: 12px;
  font-weight: 500;
  color: var(--muted);
  padding: 10px 8px 2px;
}
.say {
  padding: 10px 8px;
  display: grid;
  gap: 8px;
}
article {
  overflow-y: auto;
  padding: 14px 24px 28px;
  display: grid;
  gap: 10px;
  align-content: start;
}
h2 {
  font-size: 19px;
}
.lead {
  font-size: 15px;
}
.shots {
  display: grid;
  grid-template-columns: repeat(2, 198px);
  gap: 8px;
}
.shots.three {
  grid-template-columns: repeat(3, 198px);
}
figure {
  margin: 0;
  position: relative;
}
.way {
  position: absolute;
  inset: 0 0 auto;
  height: 156px;
  display: grid;
  place-items: center;
  text-align: center;
  padding: 0 12px;
  font-size: 12.5px;
  color: #fff;
}
figure img {
  display: block;
  object-fit: cover;
  border-radius: 4px;
  background: #868686;
}
figcaption {
  font-size: 12px;
}
article > :deep(.p-button) {
  justify-self: start;
}
table {
  border-collapse: collapse;
  font-size: 13px;
}
caption {
  text-align: left;
  font-weight: 600;
  font-size: 14px;
  padding: 6px 0 4px;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 4px 14px 4px 0;
  border-top: 1px solid var(--line);
}
thead th {
  color: var(--muted);
  font-weight: 400;
  border: 0;
}
tbody th {
  font-weight: 500;
  white-space: nowrap;
}
tr.meant {
  background: var(--tint);
}
</style>
