<script setup lang="ts">
import Button from 'primevue/button'
import Dialog from 'primevue/dialog'
import ProgressBar from 'primevue/progressbar'
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { upload } from '../api/client'
import { useWork } from '../stores/work'

/** Bring a GLB file in, by drop or by picker. */
const work = useWork()
const router = useRouter()
const visible = ref(false)
const over = ref(false)
const project = ref(0)
const share = ref(-1)
const trouble = ref('')
const picker = ref<HTMLInputElement>()
let stop = new AbortController()

function open(id: number) {
  project.value = id
  trouble.value = ''
  share.value = -1
  visible.value = true
}
defineExpose({ open })

async function send(file?: File | null) {
  if (!file) return
  trouble.value = ''
  share.value = 0
  stop = new AbortController()
  try {
    const id = await upload(project.value, file, (s) => (share.value = s), stop.signal)
    await work.start()
    visible.value = false
    await router.push({ name: 'weather', params: { object: id } })
  } catch (error) {
    if ((error as Error).name !== 'AbortError') trouble.value = (error as Error).message
  } finally {
    share.value = -1
    if (picker.value) picker.value.value = ''
  }
}
function drop(event: DragEvent) {
  over.value = false
  void send(event.dataTransfer?.files[0])
}
</script>

<template>
  <Dialog v-model:visible="visible" modal header="Add an object" :style="{ width: '460px' }" @hide="stop.abort()">
    <div class="drop" :class="{ over }" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="drop">
      <template v-if="share < 0">
        <p>
          Drop a
          <b>.glb</b>
          file with UVs here.
        </p>
        <Button size="small" label="Choose a file" @click="picker?.click()" />
        <input
          ref="picker"
          type="file"
          accept=".glb,.gltf,model/gltf-binary"
          hidden
          aria-label="Object file"
          @change="send(picker?.files?.[0])"
        />
      </template>
      <template v-else>
        <p>{{ share < 1 ? 'Uploading' : 'Checking' }}</p>
        <ProgressBar
          :value="Math.round(share * 100)"
          :mode="share < 1 ? 'determinate' : 'indeterminate'"
          style="height: 6px; width: 240px"
          :show-value="false"
        />
        <Button size="small" severity="secondary" label="Cancel" @click="stop.abort()" />
      </template>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </Dialog>
</template>

<style scoped>
.drop {
  border: 1px dashed var(--muted);
  border-radius: 5px;
  min-height: 150px;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: 14px;
}
.drop.over {
  background: var(--tint);
  border-color: var(--verdigris);
}
.trouble {
  color: var(--oxide);
  padding-top: 12px;
}
</style>
