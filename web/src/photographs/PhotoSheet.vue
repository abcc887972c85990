<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import Textarea from 'primevue/textarea'
import { computed, ref, watch } from 'vue'
import { useBrackets } from '../stores/brackets'
import { toHex } from '../controls/colour'
import { percent, readable, withUnit } from '../figures/format'
import { useWork } from '../stores/work'
import { usePhotographs } from '../stores/photographs'

/** What the chosen photograph shows, read off it, and what that would set on a layer. */
const photos = usePhotographs()
const work = useWork()
const brackets = useBrackets()
const photo = computed(() => photos.chosen)
const kinds = computed(() => photos.read?.read.kinds ?? [])
const names = computed(() => photo.value?.marks.names ?? [])
const USUAL = ['what it lies on', 'bare', 'rust', 'dirt', 'moss', 'runs']
function rename(k: number, name: string) {
  const next = kinds.value.map((_, j) => (j === k ? name.trim().slice(0, 40) : (names.value[j] ?? '')))
  void photos.mark({ names: next })
}
const layer = ref('')
const layers = computed(() => (work.scene?.layers ?? []).map((l) => ({ value: l.id, label: l.name })))
watch(
  layers,
  (all) => {
    if (!all.some((l) => l.value === layer.value)) layer.value = work.selectedId || (all.at(-1)?.value ?? '')
  },
  { immediate: true },
)
const unset = computed(() => photos.fittedFor !== layer.value)
const shown = (value: number | string | number[], unit: string) =>
  typeof value === 'number' ? withUnit(value, { unit }) : Array.isArray(value) ? `#${toHex(value)}` : value
/** The surface as it is and as it would be, seen from where the camera stands. */
const both = ref<{ now: string; then: string }>()
watch(
  () => photos.fitted,
  () => (both.value = undefined),
)
async function showBoth() {
  if (!brackets.camera || !photos.fitted) return
  const picture = async (values: Record<string, unknown>) => {
    const found = await work.aside({ set: { values, drop: [] }, size: 512, wanted: () => !!photos.fitted })
    return found && brackets.camera ? brackets.camera(found, 320, 220) : ''
  }
  const now = await picture({})
  both.value = { now, then: await picture(photos.values) }
}
const measures = computed(() => {
  const found = photos.fitted
  const one = kinds.value[photos.kind]
  if (!found || !one) return []
  const rows: [string, string, string, string][] = [
    ['Covers', percent(found.before.share), percent(found.after.share), percent(one.share)],
    [
      'Pieces',
      `${readable(found.before.size_mm)} mm`,
      `${readable(found.after.size_mm)} mm`,
      one.sizes_mm ? `${readable(one.sizes_mm[1])} mm` : 'no scale',
    ],
    ['Together', percent(found.before.clustered), percent(found.after.clustered), percent(one.clustered)],
    ['Ragged', percent(found.before.ragged), percent(found.after.ragged), percent(one.ragged)],
  ]
  return rows
})
</script>

<template>
  <div class="photo">
    <p v-if="!photo" class="muted empty">
      Choose a photograph below, or drop one anywhere on this stage. It can lie beside the view or over it, and what it
      shows can be read off it.
    </p>
    <template v-else>
      <section class="sheet-part">
        <h3>
          {{ photo.name }}
          <small>
            <button
              type="button"
              class="link"
              :aria-pressed="photos.shown === 'beside'"
              @click="photos.shown = 'beside'"
            >
              Beside
            </button>
            ·
            <button type="button" class="link" :aria-pressed="photos.shown === 'over'" @click="photos.shown = 'over'">
              Over
            </button>
          </small>
        </h3>
        <InputText
          :model-value="photo.source"
          size="small"
          fluid
          maxlength="300"
          placeholder="Where it comes from"
          aria-label="Where the photograph comes from"
          @change="(e: Event) => photos.change(photo!.id, { source: (e.target as HTMLInputElement).value })"
        />
        <Textarea
          :model-value="photo.note"
          rows="2"
          fluid
          maxlength="4000"
          placeholder="What to look at"
          aria-label="Note on the photograph"
          class="note"
          @change="(e: Event) => photos.change(photo!.id, { note: (e.target as HTMLTextAreaElement).value })"
        />
        <button type="button" class="link" @click="photos.remove(photo.id)">Take it down</button>
      </section>
      <section class="sheet-part">
        <h3>
          What is seen in the region?
          <small class="muted">
            <label>
              <select
                class="count"
                aria-label="Kinds of surface to tell apart"
                :value="photo.marks.kinds"
                @change="(e) => photos.mark({ kinds: Number((e.target as HTMLSelectElement).value) })"
              >
                <option v-for="n in 5" :key="n" :value="n + 1">{{ n + 1 }}</option>
              </select>
              kinds
            </label>
          </small>
        </h3>
        <p v-if="!photo.marks.outline?.length" class="muted">Mark a region on the photograph first.</p>
        <p v-else-if="!photo.mm_per_width" class="muted">
          Without a scale sizes stay in pixels: click “Scale”, then two points, and type their distance.
        </p>
        <Button
          size="small"
          :label="photos.read ? 'Read again' : 'Read it'"
          :disabled="!photo.marks.outline?.length || !!photos.busy"
          @click="photos.readOff()"
        />
        <span v-if="photos.busy" class="muted" role="status">&ensp;{{ photos.busy }}…</span>
        <p v-if="photos.wrong" class="trouble" role="alert">{{ photos.wrong }}</p>
        <table v-if="kinds.length" aria-label="Kinds of surface">
          <thead>
            <tr class="muted">
              <th colspan="2">Kind</th>
              <th>Area</th>
              <th>Pieces</th>
              <th>Colour</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(one, k) in kinds" :key="k" :class="{ on: k === photos.kind }">
              <td>
                <button
                  type="button"
                  class="swatch"
                  :aria-label="`Kind ${k + 1}`"
                  :aria-pressed="k === photos.kind"
                  :style="{ background: `#${toHex(one.color)}` }"
                  @click="((photos.kind = k), (photos.fitted = undefined))"
                />
              </td>
              <td>
                <input
                  class="name"
                  :value="names[k] || (k ? '' : USUAL[0])"
                  :placeholder="USUAL[k + 1] ?? 'what is it?'"
                  :aria-label="`Name of kind ${k + 1}`"
                  @focus="((photos.kind = k), (photos.fitted = undefined))"
                  @change="(e) => rename(k, (e.target as HTMLInputElement).value)"
                />
              </td>
              <td>{{ percent(one.share) }}</td>
              <td>
                {{
                  one.sizes_mm
                    ? `${readable(one.sizes_mm[0])} – ${readable(one.sizes_mm[2])} mm`
                    : `${Math.round(one.sizes_px[1])} px`
                }}
              </td>
              <td>#{{ toHex(one.color) }}</td>
            </tr>
          </tbody>
        </table>
        <p v-for="note in photos.read?.read.notes ?? []" :key="note" class="muted">{{ note }}.</p>
        <p v-if="kinds[photos.kind]" class="muted">
          {{ kinds[photos.kind].clustered > 0.4 ? 'It keeps together' : 'It lies scattered' }},
          {{ kinds[photos.kind].ragged > 0.5 ? 'torn' : kinds[photos.kind].ragged > 0.25 ? 'uneven' : 'smooth' }} in
          outline,
          {{
            kinds[photos.kind].lower > 1.3
              ? `${readable(kinds[photos.kind].lower)} times as much below as above`
              : kinds[photos.kind].lower < 0.77
                ? `${readable(1 / Math.max(kinds[photos.kind].lower, 1e-3))} times as much above as below`
                : 'as much above as below'
          }}.
        </p>
      </section>
      <section v-if="kinds.length" class="sheet-part">
        <h3>Set on</h3>
        <div class="set">
          <Select
            v-model="layer"
            size="small"
            :options="layers"
            option-label="label"
            option-value="value"
            aria-label="Layer to set"
            placeholder="Choose a layer"
            empty-message="There is no layer yet"
          />
          <Button
            size="small"
            severity="secondary"
            label="Find settings"
            :disabled="!layer || photos.kind < 0 || !!photos.busy"
            @click="photos.fit(layer)"
          />
        </div>
        <template v-if="photos.fitted && !unset">
          <table aria-label="What would be set">
            <thead>
              <tr class="muted">
                <th />
                <th>now</th>
                <th>then</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="one in photos.fitted.changes" :key="one.field">
                <td>{{ one.title }}</td>
                <td>{{ shown(one.before as never, one.unit) }}</td>
                <td>
                  <b>{{ shown(one.after as never, one.unit) }}</b>
                </td>
              </tr>
            </tbody>
          </table>
          <table aria-label="What the surface measures">
            <thead>
              <tr class="muted">
                <th>It measures</th>
                <th>now</th>
                <th>then</th>
                <th>photograph</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="row in measures" :key="row[0]">
                <td v-for="(cell, j) in row" :key="j">{{ cell }}</td>
              </tr>
            </tbody>
          </table>
          <p v-for="note in photos.fitted.notes" :key="note" class="muted">{{ note }}.</p>
          <p v-if="!photos.fitted.changes.length" class="muted">It is set so already.</p>
          <div v-else class="set">
            <Button
              size="small"
              :label="`Set ${photos.fitted.changes.length === 1 ? 'it' : 'these'}`"
              @click="photos.use()"
            />
            <Button size="small" severity="secondary" label="Show both" @click="showBoth" />
          </div>
          <div v-if="both" class="both">
            <figure>
              <img :src="both.now" alt="The surface now" />
              now
            </figure>
            <figure>
              <img :src="both.then" alt="The surface with these settings" />
              then
            </figure>
          </div>
        </template>
      </section>
    </template>
  </div>
</template>

<style scoped>
.empty {
  padding: 14px 16px;
}
.note {
  margin: 6px 0;
}
table {
  width: 100%;
  border-collapse: collapse;
  margin: 8px 0;
}
th {
  font-weight: 400;
  text-align: right;
  padding: 2px 4px;
}
th:first-child,
td:first-child {
  text-align: left;
}
td {
  text-align: right;
  padding: 2px 4px;
}
tr.on td {
  background: var(--tint);
}
.swatch {
  display: block;
  width: 22px;
  height: 22px;
  border-radius: 3px;
  border: 1px solid var(--line);
}
.name {
  font: inherit;
  width: 92px;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 2px 6px;
  background: var(--panel);
}
.count {
  font: inherit;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--panel);
}
.set {
  display: flex;
  gap: 8px;
  align-items: center;
}
.set > :first-child:not(button) {
  flex: 1;
  min-width: 0;
}
.both {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
  padding-top: 8px;
}
.both img {
  width: 100%;
  display: block;
}
figure {
  margin: 0;
  color: var(--muted);
}
.trouble {
  color: var(--oxide);
}
.link[aria-pressed='true'] {
  text-decoration: underline;
}
</style>
