<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import InputNumber from 'primevue/inputnumber'
import { computed, ref } from 'vue'
import { api, messageOf } from '../api/client'
import { useWork } from '../stores/work'
import { toHex } from './colour'
import PictureField from './PictureField.vue'

/** A colour out of a photograph, with the light taken out by a grey patch or a stated exposure. */
defineProps<{ title: string }>()
const emit = defineEmits<{ picked: [color: number[]] }>()
const work = useWork()
const visible = ref(false)
const file = ref('')
const at = ref<[number, number]>()
const grey = ref<[number, number]>()
const way = ref<'grey' | 'exposure'>('grey')
const next = ref<'at' | 'grey'>('at')
const reflectance = ref(18)
const exposure = ref(0)
const found = ref<{ color: number[]; note: string }>()
const wrong = ref('')
defineExpose({ open: () => (visible.value = true) })
const url = computed(() =>
  file.value && work.object
    ? `/api/projects/${work.object.project}/pictures/shown?file=${encodeURIComponent(file.value)}`
    : '',
)
async function ask() {
  found.value = undefined
  wrong.value = ''
  if (!work.object || !file.value || !at.value || (way.value === 'grey' && !grey.value)) return
  const { data, error } = await api.POST('/api/projects/{project_id}/pick-colour', {
    params: { path: { project_id: work.object.project } },
    body: {
      file: file.value,
      at: at.value,
      grey: way.value === 'grey' ? grey.value! : null,
      reflectance: reflectance.value / 100,
      exposure: exposure.value,
    },
  })
  if (data) found.value = { color: data.color, note: data.note }
  else wrong.value = messageOf(error)
}
function click(event: MouseEvent) {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect()
  const place: [number, number] = [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height]
  if (next.value === 'grey' && way.value === 'grey') grey.value = place
  else at.value = place
  if (way.value === 'grey' && !grey.value) next.value = 'grey'
  void ask()
}
function use() {
  if (!found.value) return
  emit('picked', found.value.color)
  visible.value = false
}
</script>

<template>
  <Dialog v-model:visible="visible" modal :header="`${title} from a picture`" :style="{ width: '560px' }">
    <PictureField
      name="photograph"
      :field="{ title: 'Photograph', description: 'Of the real thing' }"
      :model-value="file"
      @done="(v) => ((file = v), (at = grey = undefined), (next = 'at'), ask())"
    />
    <div class="ways">
      <button type="button" class="press" :aria-pressed="way === 'grey'" @click="((way = 'grey'), ask())">
        A grey patch is in it
      </button>
      <button type="button" class="press" :aria-pressed="way === 'exposure'" @click="((way = 'exposure'), ask())">
        State the exposure
      </button>
      <span class="fill" />
      <InputNumber
        v-if="way === 'grey'"
        v-model="reflectance"
        size="small"
        :min="1"
        :max="100"
        suffix=" % grey"
        aria-label="Reflectance of the grey patch"
        @update:model-value="ask"
      />
      <InputNumber
        v-else
        v-model="exposure"
        size="small"
        :min="-10"
        :max="10"
        :max-fraction-digits="2"
        suffix=" stops"
        aria-label="Exposure"
        @update:model-value="ask"
      />
    </div>
    <div v-if="url" class="photo">
      <!-- eslint-disable-next-line vuejs-accessibility/click-events-have-key-events -->
      <img :src="url" alt="The photograph: click the place whose colour is wanted" @click="click" />
      <i v-if="at" class="mark" :style="{ left: `${at[0] * 100}%`, top: `${at[1] * 100}%` }" />
      <i
        v-if="grey && way === 'grey'"
        class="mark square"
        :style="{ left: `${grey[0] * 100}%`, top: `${grey[1] * 100}%` }"
      />
    </div>
    <p v-if="url && way === 'grey'" class="ways">
      <button type="button" class="press" :aria-pressed="next === 'at'" @click="next = 'at'">Click: the colour</button>
      <button type="button" class="press" :aria-pressed="next === 'grey'" @click="next = 'grey'">
        Click: the grey patch
      </button>
    </p>
    <div v-if="found" class="result">
      <span class="swatch" :style="{ background: `#${toHex(found.color)}` }" />
      <span>
        <b>#{{ toHex(found.color) }}</b>
        <span class="muted">, linear {{ found.color.map((x) => x.toFixed(3)).join(' ') }}</span>
        <br />
        <span :class="found.note ? 'wrong' : 'muted'">
          {{ found.note ? `Unlikely as an albedo: ${found.note}.` : 'Plausible as an albedo.' }}
        </span>
      </span>
      <Button size="small" label="Use it" @click="use" />
    </div>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
  </Dialog>
</template>

<style scoped>
.ways {
  display: flex;
  gap: 6px;
  padding: 8px 0;
  align-items: center;
}
.fill {
  flex: 1;
}
.photo {
  position: relative;
  line-height: 0;
  cursor: crosshair;
}
.photo img {
  width: 100%;
  max-height: 46vh;
  object-fit: fill;
  border-radius: 4px;
}
.mark {
  position: absolute;
  width: 13px;
  height: 13px;
  margin: -7px;
  border: 2px solid #fff;
  outline: 1px solid #000;
  border-radius: 50%;
  pointer-events: none;
}
.mark.square {
  border-radius: 1px;
}
.result {
  display: grid;
  grid-template-columns: 48px 1fr auto;
  gap: 12px;
  align-items: center;
  padding-top: 8px;
}
.swatch {
  height: 40px;
  border-radius: 4px;
  border: 1px solid var(--line);
}
.wrong {
  color: var(--oxide);
}
</style>
