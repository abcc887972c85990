<script setup lang="ts">
import Popover from 'primevue/popover'
import { ref, watch } from 'vue'
import { api, messageOf } from '../../api/client'
import type { components } from '../../api/schema'
import { useWork } from '../../stores/work'
import { sent, type Order } from './useOrder'

/** What will be written; a click on a map shows how it will look, and its numbers. */
const props = defineProps<{ files: string[]; order: Order }>()
const work = useWork()
const pop = ref<InstanceType<typeof Popover>>()
const shown = ref('')
const look = ref<components['schemas']['LookOut']>()
const why = ref('')
const isMap = (file: string) => /\.(png|tif|exr)$/.test(file) && !/^(strokes|pictures)\//.test(file)
let asked = 0

async function open(event: Event, file: string) {
  const mine = ++asked
  if (shown.value === file) return close()
  shown.value = file
  look.value = undefined
  why.value = ''
  // Where it is open already it would only close for another target.
  pop.value?.hide()
  pop.value?.show(event, event.currentTarget)
  const { data, error } = await api.POST('/api/objects/{object_id}/delivery/look', {
    params: { path: { object_id: work.object!.id } },
    body: { order: sent(props.order), file },
  })
  if (mine !== asked) return
  look.value = data
  why.value = data ? '' : messageOf(error)
}
function close() {
  asked++
  shown.value = ''
  pop.value?.hide()
}
watch(() => props.files, close)
const number = (value: number) => String(Number(value.toPrecision(3)))
</script>

<template>
  <ul data-testid="files">
    <li v-for="file in files" :key="file">
      <button
        v-if="isMap(file)"
        type="button"
        class="clip"
        :title="file"
        :aria-expanded="shown === file"
        aria-haspopup="dialog"
        @click="(event) => void open(event, file)"
      >
        <i class="pi pi-image" />
        {{ file }}
      </button>
      <span v-else class="clip" :title="file">
        <i class="pi pi-file" />
        {{ file }}
      </span>
    </li>
  </ul>
  <Popover ref="pop" @hide="shown = ''">
    <div class="look" role="dialog" :aria-label="shown">
      <b class="clip" :title="shown">{{ shown }}</b>
      <img v-if="look" :src="`data:image/png;base64,${look.picture}`" width="256" height="256" :alt="shown" />
      <div v-else class="wait" role="status">{{ why || 'Drawing it…' }}</div>
      <template v-if="look">
        <table>
          <thead>
            <tr>
              <td></td>
              <th>lowest</th>
              <th>mean</th>
              <th>highest</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(name, k) in look.components" :key="name">
              <th>{{ name || look.unit }}</th>
              <td>{{ number(look.lowest[k]) }}</td>
              <td>{{ number(look.mean[k]) }}</td>
              <td>{{ number(look.highest[k]) }}</td>
            </tr>
          </tbody>
        </table>
        <span class="muted">{{ look.about }}; numbers over the surface{{ look.unit ? `, ${look.unit}` : '' }}</span>
      </template>
    </div>
  </Popover>
</template>

<style scoped>
ul {
  max-height: 220px;
  overflow-y: auto;
}
li > * {
  display: block;
  width: 100%;
  text-align: left;
  padding: 1px 0;
}
li button:hover,
li button[aria-expanded='true'] {
  color: var(--verdigris);
}
li i {
  font-size: 12px;
  color: var(--muted);
  width: 20px;
}
.look {
  width: 256px;
  display: grid;
  gap: 6px;
  font-size: 13px;
}
img,
.wait {
  width: 256px;
  height: 256px;
  background: var(--sunk, #0001);
  display: grid;
  place-items: center;
  text-align: center;
}
td,
thead th {
  text-align: right;
  font-variant-numeric: tabular-nums;
  font-weight: 400;
}
thead th {
  color: var(--muted);
}
table {
  width: 100%;
}
</style>
