<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import InputNumber from 'primevue/inputnumber'
import InputText from 'primevue/inputtext'
import ProgressBar from 'primevue/progressbar'
import SelectButton from 'primevue/selectbutton'
import { computed, ref } from 'vue'
import { recognisedFrom, usesOf } from '../../api/mapFiles'
import type { Base, MapUse, Recognised } from '../../api/scene'
import { useBases } from '../../stores/bases'
import { useWork } from '../../stores/work'
import RoleTable from '../../controls/RoleTable.vue'

/** Texture files on their way in: sent, recognised, shown in a table, then laid on the object. */
const work = useWork()
const bases = useBases()
const visible = ref(false)
const round = ref(0)
const over = ref(false)
const phase = ref<'choose' | 'sending' | 'looking' | 'table'>('choose')
const share = ref(0)
const word = ref('')
const trouble = ref('')
const refused = ref<string[]>([])
const found = ref<Recognised>()
const uses = ref<MapUse[]>([])
const green = ref('up')
const name = ref('')
const size = ref(100)
const target = ref<'replace' | 'add'>('replace')
const picker = ref<HTMLInputElement>()
let stop = new AbortController()

function open(files: File[]) {
  round.value++
  phase.value = 'choose'
  trouble.value = ''
  refused.value = []
  found.value = undefined
  target.value = bases.base ? 'replace' : 'add'
  visible.value = true
  if (files.length) void send(files)
}
defineExpose({ open })

async function send(files: File[]) {
  if (!work.object || !files.length) return
  trouble.value = ''
  refused.value = []
  phase.value = 'sending'
  share.value = 0
  stop = new AbortController()
  const mine = stop
  const out = await recognisedFrom(
    work.object.project,
    files,
    size.value,
    {
      sent: (part, what) => ((share.value = part), (word.value = what)),
      looking: () => (phase.value = 'looking'),
    },
    mine.signal,
  )
  if (!out) return
  if (picker.value) picker.value.value = ''
  refused.value = out.refused
  const data = out.found
  if (!data) {
    trouble.value = out.trouble
    phase.value = 'choose'
    return
  }
  found.value = data
  uses.value = usesOf(data) as MapUse[]
  green.value = data.green
  name.value = String((data.base as unknown as Base).name)
  phase.value = 'table'
}
const names = computed(() => Object.fromEntries((found.value?.files ?? []).map((f) => [f.file, f.name])))
const pictures = computed(() => Object.fromEntries((found.value?.files ?? []).map((f) => [f.file, f.picture])))
const facts = computed(() =>
  Object.fromEntries(
    (found.value?.files ?? []).map((f) => [f.file, `${f.width} × ${f.height}, ${f.bits} bit, ${f.kind}`]),
  ),
)
const hasNormal = computed(() => uses.value.some((u) => u.role === 'normal'))
const empty = computed(() => uses.value.every((u) => u.role === 'left out'))
const GREEN = [
  { label: 'up', value: 'up' },
  { label: 'down', value: 'down' },
]
function cancel() {
  stop.abort()
  visible.value = false
}
function take() {
  if (!found.value) return
  const made = found.value.base as unknown as Base
  const fresh: Base = {
    ...made,
    name: name.value.trim() || made.name,
    material: { ...made.material, maps: uses.value, green: green.value },
    placing: { ...made.placing, size_cm: size.value },
  }
  if (target.value === 'replace' && bases.base) void bases.put(fresh)
  else void bases.add(fresh, bases.bases.length ? [] : null)
  visible.value = false
}
</script>

<template>
  <Dialog
    :key="round"
    v-model:visible="visible"
    modal
    header="Texture files"
    :style="{ width: '800px' }"
    @hide="cancel"
  >
    <div
      v-if="phase === 'choose'"
      class="drop"
      :class="{ over }"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="(e) => ((over = false), send([...(e.dataTransfer?.files ?? [])]))"
    >
      <p>
        Drop the texture files of one material here: color, roughness or gloss, metalness, normal, height, occlusion,
        packed ones too. PNG, JPEG, TIFF, EXR, WebP, or all in a
        <b>.zip</b>
        .
      </p>
      <Button size="small" label="Choose files" @click="picker?.click()" />
      <input
        ref="picker"
        type="file"
        multiple
        hidden
        :accept="(work.catalogue?.picture_kinds ?? []).join(',')"
        aria-label="Texture files"
        @change="send([...(picker?.files ?? [])])"
      />
    </div>
    <div v-else-if="phase !== 'table'" class="drop" role="status">
      <p>{{ phase === 'sending' ? `Sending ${word}` : 'Looking at the files' }}</p>
      <ProgressBar
        :value="Math.round(share * 100)"
        :mode="phase === 'sending' ? 'determinate' : 'indeterminate'"
        style="height: 6px; width: 280px"
        :show-value="false"
      />
      <Button size="small" severity="secondary" label="Cancel" @click="cancel" />
    </div>
    <template v-else-if="found">
      <div class="top">
        <label for="set-name">Name</label>
        <InputText id="set-name" v-model="name" size="small" maxlength="80" />
        <label for="set-size">Real width of a tile</label>
        <InputNumber
          v-model="size"
          input-id="set-size"
          size="small"
          :min="0.01"
          :max="100000"
          :max-fraction-digits="2"
          suffix=" cm"
        />
      </div>
      <div class="table">
        <RoleTable
          :uses="uses"
          :names="names"
          :pictures="pictures"
          :facts="facts"
          :why="found.uses.map((u) => u.why)"
          @change="(k, use) => (uses[k] = use)"
        />
      </div>
      <div v-if="hasNormal" class="green">
        <span>
          Green of the normal map points
          <span class="muted">({{ found.green_why }})</span>
        </span>
        <SelectButton
          v-model="green"
          size="small"
          :options="GREEN"
          option-label="label"
          option-value="value"
          :allow-empty="false"
          aria-label="Direction of green"
        />
      </div>
      <ul v-if="found.findings.length || refused.length" class="findings" aria-label="What was found">
        <li v-for="text in [...found.findings, ...refused.map((r) => `left out: ${r}`)]" :key="text">
          <i class="pi pi-info-circle" />
          {{ text[0].toUpperCase() + text.slice(1) }}{{ text.endsWith('.') ? '' : '.' }}
        </li>
      </ul>
      <div class="foot">
        <span v-if="bases.base" class="where">
          <button type="button" class="press" :aria-pressed="target === 'replace'" @click="target = 'replace'">
            Instead of {{ bases.title(bases.base) }}
          </button>
          <button type="button" class="press" :aria-pressed="target === 'add'" @click="target = 'add'">
            As one more base
          </button>
        </span>
        <span class="fill" />
        <Button size="small" severity="secondary" label="Cancel" @click="cancel" />
        <Button size="small" label="Use as base" :disabled="empty" @click="take" />
      </div>
    </template>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </Dialog>
</template>

<style scoped>
.drop {
  border: 1px dashed var(--muted);
  border-radius: 5px;
  min-height: 170px;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: 14px;
  padding: 0 60px;
  text-align: center;
}
.drop.over {
  background: var(--tint);
  border-color: var(--verdigris);
}
.top {
  display: grid;
  grid-template-columns: auto 1fr auto 110px;
  gap: 10px;
  align-items: center;
  padding-bottom: 8px;
}
.top :deep(input) {
  width: 100%;
}
.table {
  max-height: 44vh;
  overflow-y: auto;
}
.green {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 12px;
  padding: 8px 0 2px;
}
.findings {
  padding-top: 8px;
  display: grid;
  gap: 3px;
  max-height: 18vh;
  overflow-y: auto;
}
.findings i {
  font-size: 11px;
  color: var(--muted);
}
.foot,
.where {
  display: flex;
  gap: 8px;
  align-items: center;
}
.foot {
  padding-top: 12px;
}
.fill {
  flex: 1;
}
.trouble {
  color: var(--oxide);
  padding-top: 12px;
}
</style>
