<script setup lang="ts">
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import { api, messageOf, sendPicture } from '../api/client'
import type { FieldSchema } from '../api/scene'
import { useWork } from '../stores/work'

/** A picture of the project: choose one that is there, or bring one in. */
const props = defineProps<{ field: FieldSchema; name: string; modelValue: string }>()
const emit = defineEmits<{ done: [value: string] }>()
const work = useWork()
const pictures = ref<{ file: string; name: string }[]>([])
const chooser = ref<HTMLInputElement>()
const wrong = ref('')
const sending = ref(false)
const options = computed(() => {
  const known = pictures.value.some((p) => p.file === props.modelValue)
  const mine = { file: props.modelValue, name: props.modelValue.split('/').at(-1) ?? '' }
  return props.modelValue && !known ? [mine, ...pictures.value] : pictures.value
})
async function list() {
  const id = work.object?.project
  if (!id) return
  const { data } = await api.GET('/api/projects/{project_id}/pictures', { params: { path: { project_id: id } } })
  pictures.value = data ?? []
}
void list()
/** Take a picture out of the project; one that something uses stays, and the line says what does. */
async function remove(file: string) {
  if (!work.object) return
  wrong.value = ''
  await work.saved()
  const { error, response } = await api.DELETE('/api/projects/{project_id}/pictures', {
    params: { path: { project_id: work.object.project }, query: { file } },
  })
  if (!response.ok) wrong.value = messageOf(error)
  await list()
}
async function bring(event: Event) {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file || !work.object) return
  wrong.value = ''
  sending.value = true
  try {
    const found = await sendPicture(work.object.project, file)
    await list()
    emit('done', found.file)
  } catch (error) {
    wrong.value = error instanceof Error ? error.message : 'The picture was not taken in.'
  } finally {
    sending.value = false
  }
}
</script>

<template>
  <div class="field-row" :data-field="name">
    <label v-tooltip.left="field.description || undefined" class="clip" :for="`f-${name}`">{{ field.title }}</label>
    <span class="pick">
      <Select
        size="small"
        fluid
        :input-id="`f-${name}`"
        :aria-label="field.title"
        :model-value="modelValue"
        :options="options"
        option-label="name"
        option-value="file"
        placeholder="None yet"
        empty-message="Bring one in with the button beside"
        @update:model-value="(v) => emit('done', v)"
      >
        <template #option="{ option }">
          <span class="clip">{{ option.name }}</span>
          <button
            v-if="option.file !== modelValue"
            type="button"
            class="icon-button away"
            :aria-label="`Remove ${option.name} from the project`"
            @click.stop="remove(option.file)"
          >
            <i class="pi pi-trash" />
          </button>
        </template>
      </Select>
      <button
        v-tooltip.left="'Bring in a picture'"
        type="button"
        class="icon-button"
        aria-label="Bring in a picture"
        :disabled="sending"
        @click="chooser?.click()"
      >
        <i :class="sending ? 'pi pi-spin pi-spinner' : 'pi pi-upload'" />
      </button>
      <input
        ref="chooser"
        type="file"
        accept=".png,.jpg,.jpeg,.tif,.tiff,.webp,.bmp,.tga,.exr,.svg"
        hidden
        @change="bring"
      />
    </span>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
  </div>
</template>

<style scoped>
.pick {
  display: flex;
  gap: 4px;
  min-width: 0;
}
.pick > :deep(.p-select) {
  min-width: 0;
}
.wrong {
  grid-column: 1 / -1;
  color: var(--oxide);
}
.away {
  margin-left: auto;
}
</style>
