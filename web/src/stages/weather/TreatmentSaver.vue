<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import InputText from 'primevue/inputtext'
import { ref } from 'vue'
import { useWork } from '../../stores/work'

/** Save layers under a name, to use them on other objects. */
const work = useWork()
const visible = ref(false)
const name = ref('')
const about = ref('')
const layers = ref<string[]>([])
const busy = ref(false)
function open(called: string, ids: string[]) {
  name.value = called
  about.value = ''
  layers.value = ids
  visible.value = true
}
async function save() {
  if (!name.value.trim() || busy.value) return
  busy.value = true
  if (await work.saveTreatment(name.value.trim(), about.value.trim(), layers.value)) visible.value = false
  busy.value = false
}
defineExpose({ open })
</script>

<template>
  <Dialog v-model:visible="visible" modal dismissable-mask header="Save as treatment" :style="{ width: '420px' }">
    <form class="form" @submit.prevent="save">
      <label for="treatment-name">Name</label>
      <InputText id="treatment-name" v-model="name" maxlength="80" autofocus fluid />
      <label for="treatment-about">What it is for</label>
      <InputText id="treatment-about" v-model="about" maxlength="400" placeholder="May be left empty" fluid />
      <p class="muted">
        {{ layers.length === 1 ? 'One layer' : `${layers.length} layers` }}. Sizes follow the object it is put on; hand
        strokes, picked parts and pictures stay with this one.
      </p>
      <div class="buttons">
        <Button type="button" severity="secondary" size="small" label="Cancel" @click="visible = false" />
        <Button type="submit" size="small" label="Save" :disabled="!name.trim()" :loading="busy" />
      </div>
    </form>
  </Dialog>
</template>

<style scoped>
.form {
  display: grid;
  gap: 6px;
}
.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
  padding-top: 6px;
}
</style>
