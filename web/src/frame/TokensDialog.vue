<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import Select from 'primevue/select'
import SelectButton from 'primevue/selectbutton'
import { ref, watch } from 'vue'
import { api, messageOf } from '../api/client'
import type { components } from '../api/schema'
import { since } from '../controls/since'

/** Tokens by which programs of one's own use the API: made, shown once, and ended here. */
const open = defineModel<boolean>('open', { required: true })
const rows = ref<components['schemas']['TokenOut'][]>([])
const fresh = ref<components['schemas']['FreshToken']>()
const copied = ref(false)
const name = ref('')
const rights = ref<'read' | 'write'>('read')
const days = ref(90)
const why = ref('')
const RIGHTS = [
  { label: 'Read', value: 'read' },
  { label: 'Read and change', value: 'write' },
]
const DAYS = [7, 30, 90, 365].map((n) => ({ label: `${n} days`, value: n }))
watch(
  open,
  async (on) => {
    fresh.value = undefined
    why.value = ''
    if (on) await load()
  },
  { immediate: true },
)
async function load() {
  const { data } = await api.GET('/api/tokens')
  if (data) rows.value = data
}
async function make() {
  const { data, error } = await api.POST('/api/tokens', {
    body: { name: name.value, rights: rights.value, days: days.value },
  })
  why.value = data ? '' : messageOf(error)
  if (!data) return
  fresh.value = data
  copied.value = false
  name.value = ''
  await load()
}
async function end(id: number) {
  await api.DELETE('/api/tokens/{token_id}', { params: { path: { token_id: id } } })
  if (fresh.value?.id === id) fresh.value = undefined
  await load()
}
async function copy() {
  await navigator.clipboard.writeText(fresh.value!.token)
  copied.value = true
}
const day = (text: string) => new Date(text).toLocaleDateString([], { dateStyle: 'medium' })
</script>

<template>
  <Dialog v-model:visible="open" modal header="Access for programs" :style="{ width: '560px' }" :draggable="false">
    <div class="tokens">
      <p class="muted">
        A program of yours can do by the API what you can do here: it sends a token with each request. docs/api.md shows
        how.
      </p>
      <div v-if="fresh" class="fresh" role="status">
        <p>
          <b>Copy it now.</b>
          It is not shown again.
        </p>
        <div class="line">
          <InputText
            :model-value="fresh.token"
            readonly
            size="small"
            aria-label="The token"
            @focus="($event.target as HTMLInputElement).select()"
          />
          <Button
            size="small"
            severity="secondary"
            :icon="copied ? 'pi pi-check' : 'pi pi-copy'"
            :label="copied ? 'Copied' : 'Copy'"
            @click="copy"
          />
        </div>
      </div>
      <ul v-if="rows.length">
        <li v-for="row in rows" :key="row.id" :class="{ over: row.over }">
          <span class="clip" :title="row.name">
            <b>{{ row.name }}</b>
          </span>
          <span class="muted">
            {{ row.rights === 'read' ? 'reads' : 'reads and changes' }}, {{ row.over ? 'is over since' : 'until' }}
            {{ day(row.expires) }},
            {{ row.used ? `used ${since(row.used, new Date())}` : 'not used yet' }}
          </span>
          <Button
            size="small"
            text
            severity="danger"
            label="End"
            :aria-label="`End ${row.name}`"
            @click="end(row.id)"
          />
        </li>
      </ul>
      <form @submit.prevent="make">
        <InputText v-model="name" size="small" placeholder="What it is for" aria-label="Name" maxlength="80" />
        <SelectButton
          v-model="rights"
          :options="RIGHTS"
          option-label="label"
          option-value="value"
          :allow-empty="false"
          size="small"
          aria-label="Rights"
        />
        <Select
          v-model="days"
          :options="DAYS"
          option-label="label"
          option-value="value"
          size="small"
          aria-label="Ends after"
        />
        <Button size="small" type="submit" label="Make" :disabled="!name.trim()" />
      </form>
      <p v-if="why" class="trouble" role="alert">{{ why }}</p>
    </div>
  </Dialog>
</template>

<style scoped>
.tokens {
  display: grid;
  gap: 12px;
}
.fresh {
  border-left: 3px solid var(--verdigris);
  padding-left: 12px;
  display: grid;
  gap: 6px;
}
.line,
form {
  display: flex;
  gap: 8px;
}
.line input,
form input {
  flex: 1;
  min-width: 0;
}
li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  align-items: center;
  border-top: 1px solid var(--line);
  padding: 5px 0;
}
li button {
  grid-row: 1 / 3;
  grid-column: 2;
}
li .muted {
  font-size: 13px;
}
.over {
  opacity: 0.6;
}
.trouble {
  color: var(--oxide);
}
</style>
