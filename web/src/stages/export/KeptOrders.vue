<script setup lang="ts">
import Button from 'primevue/button'
import InputText from 'primevue/inputtext'
import { onMounted, ref } from 'vue'
import { api, messageOf } from '../../api/client'
import type { components } from '../../api/schema'
import { sent, type Order } from './useOrder'

/** Orders that somebody keeps, in all projects: taken up by a click, kept under a name, fetched as a file. */
const props = defineProps<{ order: Order }>()
const emit = defineEmits<{ take: [order: Order] }>()
const rows = ref<components['schemas']['OrderOut'][]>([])
const name = ref('')
const naming = ref(false)
const why = ref('')
async function load() {
  const { data } = await api.GET('/api/orders')
  if (data) rows.value = data
}
onMounted(() => void load())
async function keep() {
  if (!name.value.trim()) return
  // Masks name layers of this object, and snapshots are its own.
  const order = sent({ ...props.order, masks: [], packed: false, snapshots: [] })
  const { error } = await api.POST('/api/orders', { body: { name: name.value, order } })
  why.value = error ? messageOf(error) : ''
  if (error) return
  naming.value = false
  name.value = ''
  await load()
}
async function drop(id: number) {
  await api.DELETE('/api/orders/{order_id}', { params: { path: { order_id: id } } })
  await load()
}
/** The same as a file, for `limus export --order`. */
function file() {
  const link = document.createElement('a')
  link.href = URL.createObjectURL(new Blob([JSON.stringify(props.order, null, 2)], { type: 'application/json' }))
  link.download = 'order.json'
  link.click()
  setTimeout(() => URL.revokeObjectURL(link.href), 1000)
}
</script>

<template>
  <div class="kept" data-testid="kept-orders">
    <div v-for="row in rows" :key="row.id" class="row">
      <button
        type="button"
        class="clip"
        :disabled="!row.order"
        :title="row.trouble || `Take up ${row.name}`"
        @click="row.order && emit('take', row.order)"
      >
        <i class="pi pi-bookmark" />
        {{ row.name }}
      </button>
      <Button size="small" text icon="pi pi-times" :aria-label="`Forget ${row.name}`" @click="drop(row.id)" />
    </div>
    <form v-if="naming" @submit.prevent="keep">
      <InputText v-model="name" autofocus size="small" placeholder="What it is for" aria-label="Name" maxlength="80" />
      <Button size="small" type="submit" label="Keep" :disabled="!name.trim()" />
    </form>
    <div class="buttons">
      <Button
        v-if="!naming"
        size="small"
        text
        icon="pi pi-bookmark"
        label="Keep these settings"
        @click="naming = true"
      />
      <Button
        v-tooltip.left="'For limus export --order and for limus batch'"
        size="small"
        text
        icon="pi pi-file-export"
        label="As a file"
        @click="file"
      />
    </div>
    <p v-if="why" class="trouble" role="alert">{{ why }}</p>
  </div>
</template>

<style scoped>
.kept {
  display: grid;
  gap: 4px;
}
.row,
form {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  align-items: center;
  gap: 6px;
}
.row button:first-child {
  text-align: left;
}
.row i {
  color: var(--muted);
  width: 20px;
  font-size: 12px;
}
.buttons {
  display: flex;
  margin-left: -8px;
}
.trouble {
  color: var(--oxide);
}
</style>
