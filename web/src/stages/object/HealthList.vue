<script setup lang="ts">
import Button from 'primevue/button'
import Select from 'primevue/select'
import { computed } from 'vue'
import type { FieldSchema, Finding } from '../../api/scene'
import ChoiceField from '../../controls/ChoiceField.vue'
import OptionalField from '../../controls/OptionalField.vue'
import { UNITS } from '../../controls/units'
import { useWork } from '../../stores/work'

/** How fit the object is, in words, with what can be done about it here. */
const work = useWork()
const running = computed(() => work.unwrapping)
const icons = {
  good: 'pi pi-check-circle',
  note: 'pi pi-info-circle',
  warning: 'pi pi-exclamation-circle',
  problem: 'pi pi-exclamation-triangle',
}
const RANK = { problem: 0, warning: 1, good: 2, note: 3 }
const findings = computed(() => [...(work.facts?.findings ?? [])].sort((a, b) => RANK[a.level] - RANK[b.level]))
const object = computed(() => work.scene?.object)
const fields = computed(() => (work.catalogue?.object.properties ?? {}) as Record<string, FieldSchema>)
const VERBS: Record<string, string> = {
  unwrap: 'Unwrap',
  turn: 'Turn them',
  two_sided: 'Give them a back',
  scale: 'Change the unit',
  tiles: 'Take the tiles',
}

async function act(finding: Finding) {
  if (finding.action === 'unwrap') await work.unwrap()
  else if (finding.action === 'turn')
    await work.editObject('Turn parts', (now) => {
      // Turning twice is turning back.
      const before = new Set(now.object.turned)
      finding.parts.forEach((p) => (before.has(p) ? before.delete(p) : before.add(p)))
      now.object.turned = [...before]
    })
  else if (finding.action === 'two_sided')
    await work.editObject('Split sheets', (now) => {
      now.object.two_sided = [...new Set([...now.object.two_sided, ...finding.parts])]
    })
  else if (finding.action === 'tiles') await useSet('tiles')
  else if (finding.action === 'scale')
    await work.editObject('Unit of the file', (now) => (now.object.scale *= work.facts?.suggested_scale ?? 1))
}
const units = computed(() => {
  const now = object.value?.scale ?? 1
  return UNITS.some((u) => u.value === now) ? UNITS : [...UNITS, { label: `${now} m`, value: now }]
})
const UV_NAMES = {
  own: 'of the file',
  second: 'of the file, second set',
  unwrapped: 'made here',
  tiles: 'of the file, in tiles',
}
const SETS = { own: 'UVs of the file', second: 'Second UV set', tiles: 'A map set for each tile' }
const useSet = (uv: keyof typeof SETS) => work.editObject(SETS[uv], (now) => (now.object.uv = uv))
</script>

<template>
  <ul class="findings">
    <li
      v-for="finding in findings"
      :key="finding.key + finding.what"
      :class="finding.level"
      :data-finding="finding.key"
    >
      <i :class="icons[finding.level]" :aria-label="finding.level" role="img" />
      <div>
        <b>{{ finding.what }}</b>
        <p v-if="finding.why" class="muted">{{ finding.why }}.</p>
        <p v-if="finding.mend" class="muted">{{ finding.mend }}.</p>
        <Button
          v-if="finding.action"
          size="small"
          :severity="finding.level === 'note' ? 'secondary' : undefined"
          :label="VERBS[finding.action]"
          :disabled="!!running"
          @click="act(finding)"
        />
      </div>
    </li>
  </ul>
  <section v-if="object" class="ways">
    <h2 class="muted">How it is taken</h2>
    <div class="row wide">
      <label v-tooltip.left="'What one unit of the file is; every radius and film is in real lengths'" for="file-unit">
        Unit of the file
      </label>
      <Select
        size="small"
        input-id="file-unit"
        aria-label="Unit of the file"
        data-testid="file-unit"
        :model-value="object.scale"
        :options="units"
        option-label="label"
        option-value="value"
        @update:model-value="(v) => work.editObject('Unit of the file', (now) => (now.object.scale = v))"
      />
    </div>
    <div class="row">
      <span>UVs</span>
      <span>{{ UV_NAMES[object.uv] }}</span>
      <span class="acts">
        <button
          v-if="(object.uv === 'own' || object.uv === 'second') && work.facts?.second_uv"
          type="button"
          class="link"
          @click="useSet(object.uv === 'own' ? 'second' : 'own')"
        >
          {{ object.uv === 'own' ? 'Take the second set' : 'Take the first set' }}
        </button>
        <button
          v-if="object.uv === 'tiles'"
          v-tooltip.left="'All tiles in one picture, one over the other'"
          type="button"
          class="link"
          @click="useSet('own')"
        >
          As one picture
        </button>
        <button
          v-if="object.uv !== 'unwrapped'"
          type="button"
          class="link"
          :disabled="!!running"
          @click="work.unwrap()"
        >
          Unwrap again
        </button>
        <button v-else type="button" class="link" @click="useSet('own')">Back to the file's</button>
      </span>
    </div>
    <div v-if="object.turned.length" class="row">
      <span>Turned</span>
      <span class="clip" :title="object.turned.join(', ')">{{ object.turned.join(', ') }}</span>
      <button type="button" class="link" @click="work.editObject('Turn parts back', (now) => (now.object.turned = []))">
        Turn back
      </button>
    </div>
    <ChoiceField
      :field="{ ...fields.two_sided, control: 'parts', title: 'Two-sided' }"
      name="two_sided"
      :model-value="object.two_sided"
      @done="(v) => work.editObject('Two-sided sheets', (now) => (now.object.two_sided = v as string[]))"
    />
    <OptionalField
      :field="fields.subdivide_mm"
      name="subdivide_mm"
      :model-value="object.subdivide_mm"
      @done="(v) => work.editObject('Longest edge', (now) => (now.object.subdivide_mm = v))"
    />
    <p class="muted small">Longest edge now {{ work.facts?.longest_edge_mm }} mm.</p>
    <ChoiceField
      v-if="work.facts?.textures.length"
      :field="fields.own_maps"
      name="own_maps"
      :model-value="object.own_maps"
      @done="(v) => work.editObject('Maps of the file', (now) => (now.object.own_maps = Boolean(v)))"
    />
    <p v-if="work.facts?.textures.length" class="muted small">{{ work.facts.textures.join('; ') }}</p>
  </section>
</template>

<style scoped>
.findings {
  display: grid;
  gap: 11px;
}
li {
  display: grid;
  grid-template-columns: 18px 1fr;
  gap: 8px;
}
li > i {
  padding-top: 2px;
  color: var(--muted);
}
.good > i {
  color: var(--verdigris);
}
.warning > i,
.problem > i {
  color: var(--oxide);
}
.note b {
  font-weight: 400;
}
li .p-button {
  margin-top: 5px;
}
.ways {
  margin-top: 16px;
  padding-top: 10px;
  border-top: 1px solid var(--line);
  display: grid;
  gap: 3px;
}
h2 {
  font-size: 12px;
  font-weight: 600;
  padding-bottom: 2px;
}
.row {
  display: grid;
  grid-template-columns: 106px minmax(0, 1fr) auto;
  gap: 10px;
  min-height: 26px;
  align-items: center;
}
.row.wide {
  grid-template-columns: 106px minmax(0, 1fr);
}
.small {
  font-size: 12px;
  padding-left: 116px;
}
.acts {
  display: flex;
  gap: 12px;
}
</style>
