<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Menu from 'primevue/menu'
import { nextTick, ref } from 'vue'
import { useMoments, type Moment } from '../stores/moments'

/** Moments that were kept: a click holds one against the surface as it is now. */
const moments = useMoments()
const naming = ref<Moment | 'new'>()
const name = ref('')
const field = ref<{ $el: HTMLInputElement }>()
const menu = ref<InstanceType<typeof Menu>>()
const about = ref<Moment>()
async function begin(what: Moment | 'new') {
  naming.value = what
  name.value = what === 'new' ? '' : what.name
  await nextTick()
  field.value?.$el.focus()
}
function done(keep: boolean) {
  const [what, text] = [naming.value, name.value.trim()]
  naming.value = undefined
  if (!keep || !what || !text) return
  if (what === 'new') void moments.keep(text)
  else if (text !== what.name) void moments.rename(what, text)
}
const items = [
  { label: 'Look from there', command: () => about.value && moments.stand(about.value) },
  { label: 'Go back to it', command: () => about.value && void moments.back(about.value.version) },
  { label: 'Rename', command: () => about.value && void begin(about.value) },
  { label: 'Forget it', command: () => about.value && void moments.forget(about.value) },
]
</script>

<template>
  <div class="moments">
    <h2 class="muted">Moments</h2>
    <div
      v-for="moment in moments.all"
      :key="moment.id"
      class="row"
      :class="{ on: moments.held?.moment?.id === moment.id }"
      :data-moment="moment.id"
    >
      <InputText
        v-if="naming !== 'new' && naming?.id === moment.id"
        ref="field"
        v-model="name"
        size="small"
        maxlength="120"
        aria-label="Name of the moment"
        @blur="done(true)"
        @keydown.enter="done(true)"
        @keydown.esc.stop="done(false)"
      />
      <button
        v-else
        v-tooltip.right="'Hold it against the surface as it is now'"
        type="button"
        class="pick clip"
        :aria-pressed="moments.held?.moment?.id === moment.id"
        @click="
          moments.held?.moment?.id === moment.id
            ? moments.release()
            : moments.hold({ title: moment.name, version: moment.version, moment })
        "
      >
        {{ moment.name }}
      </button>
      <button
        type="button"
        class="icon-button"
        :aria-label="`More for ${moment.name}`"
        @click="(e) => ((about = moment), menu?.toggle(e))"
      >
        <i class="pi pi-ellipsis-h" />
      </button>
    </div>
    <InputText
      v-if="naming === 'new'"
      ref="field"
      v-model="name"
      size="small"
      maxlength="120"
      class="new"
      placeholder="Name of this moment"
      aria-label="Name of the moment"
      @blur="done(true)"
      @keydown.enter="done(true)"
      @keydown.esc.stop="done(false)"
    />
    <button v-else type="button" class="link keep" @click="begin('new')">Keep this moment</button>
    <p v-if="moments.wrong" class="trouble" role="alert">{{ moments.wrong }}</p>
    <Menu ref="menu" :model="items" popup />
  </div>
</template>

<style scoped>
.pick {
  flex: 1;
  min-width: 0;
  min-height: 27px;
  text-align: left;
}
.keep {
  padding: 4px 14px;
}
.new {
  margin: 2px 14px;
  width: calc(100% - 28px);
}
.trouble {
  color: var(--oxide);
  padding: 4px 14px;
}
</style>
