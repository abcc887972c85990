<script setup lang="ts">
import { useLocalStorage } from '@vueuse/core'
import Menu from 'primevue/menu'
import { computed, ref, watchEffect } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { STAGES } from './stages'
import { useWork } from '../stores/work'
import AddObject from './AddObject.vue'
import { useFindings } from '../stores/findings'
import { useGuide } from '../stores/guide'
import GuideDialog from './GuideDialog.vue'

const work = useWork()
const route = useRoute()
const router = useRouter()
const guide = useGuide()
const findings = useFindings()
const dim = useLocalStorage('limus.dim', false)
watchEffect(() => document.documentElement.classList.toggle('app-dim', dim.value))

const menu = ref<InstanceType<typeof Menu>>()
const adder = ref<InstanceType<typeof AddObject>>()
const objects = computed(() => [
  ...work.projects.map((p) => ({
    label: p.name,
    items: [
      ...p.objects.map((o) => ({
        label: o.name,
        icon: o.id === work.object?.id ? 'pi pi-check' : 'pi pi-box',
        command: () =>
          void router.push({
            name: route.params.object ? (route.name ?? 'weather') : 'weather',
            params: { object: o.id },
          }),
      })),
      { label: 'Add an object…', icon: 'pi pi-plus', command: () => adder.value?.open(p.id) },
    ],
  })),
])
const CLOCK = { hour: '2-digit', minute: '2-digit', hour12: false } as const
const saved = computed(() => {
  if (work.kept) return 'Not saved yet'
  if (work.saving) return 'Saving…'
  return work.version ? `Saved ${new Date(work.version.saved).toLocaleTimeString([], CLOCK)}` : ''
})
function signOut() {
  const form = document.createElement('form')
  form.method = 'post'
  form.action = '/sign-out/'
  const token = document.createElement('input')
  token.name = 'csrfmiddlewaretoken'
  token.value = /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? ''
  form.append(token)
  document.body.append(form)
  form.submit()
}
</script>

<template>
  <header class="bar">
    <router-link class="mark" to="/" aria-label="Limus, all projects">
      <img src="/mark.svg" width="24" height="24" alt="" />
      <b>Limus</b>
    </router-link>
    <button v-if="work.object" type="button" class="crumbs clip" aria-haspopup="menu" @click="(e) => menu?.toggle(e)">
      <span class="muted">{{ work.object.project_name }} /</span>
      <b>{{ work.scene?.name }}</b>
      <i class="pi pi-angle-down" />
    </button>
    <Menu ref="menu" :model="objects" popup append-to="self" />
    <AddObject ref="adder" />

    <nav class="stages" aria-label="Stages">
      <template v-for="stage in STAGES" :key="stage.title">
        <router-link
          v-if="stage.route && work.object"
          v-tooltip.bottom="stage.about"
          class="stage"
          :class="{ on: route.name === stage.route }"
          :to="{ name: stage.route, params: { object: work.object.id } }"
          :aria-description="
            stage.route === 'review' && findings.calls.length ? `${findings.calls.length} findings` : undefined
          "
        >
          {{ stage.title }}
          <i v-if="stage.route === 'review' && findings.calls.length" class="dot" data-testid="findings-dot" />
        </router-link>
        <span
          v-else
          v-tooltip.bottom="stage.about"
          class="stage off"
          tabindex="0"
          aria-disabled="true"
          :aria-label="`${stage.title}. ${stage.about}`"
        >
          {{ stage.title }}
        </span>
      </template>
    </nav>

    <div class="right">
      <button
        v-tooltip.bottom="work.undoes ? `Undo: ${work.undoes}` : 'Nothing to undo'"
        type="button"
        class="icon-button"
        aria-label="Undo"
        :disabled="!work.undoes"
        @click="work.step('undo')"
      >
        <i class="pi pi-undo" />
      </button>
      <button
        v-tooltip.bottom="work.redoes ? `Redo: ${work.redoes}` : 'Nothing to redo'"
        type="button"
        class="icon-button"
        aria-label="Redo"
        :disabled="!work.redoes"
        @click="work.step('redo')"
      >
        <i class="pi pi-refresh" />
      </button>
      <span v-tooltip.bottom="work.kept?.why" class="saved" :class="work.kept ? 'unkept' : 'muted'" role="status">
        {{ saved }}
      </span>
      <button v-if="work.kept" type="button" class="link" @click="work.sendKept()">Try now</button>
      <button
        v-tooltip.bottom="dim ? 'Daylight' : 'Dim'"
        type="button"
        class="icon-button"
        :aria-label="dim ? 'Daylight colours' : 'Dim colours'"
        @click="dim = !dim"
      >
        <i :class="dim ? 'pi pi-sun' : 'pi pi-moon'" />
      </button>
      <button
        v-tooltip.bottom="'Guide and keyboard (?)'"
        type="button"
        class="icon-button"
        aria-label="Guide and keyboard"
        @click="guide.show()"
      >
        <i class="pi pi-question-circle" />
      </button>
      <button
        v-if="!work.demo"
        v-tooltip.bottom="'Sign out'"
        type="button"
        class="icon-button"
        aria-label="Sign out"
        @click="signOut"
      >
        <i class="pi pi-sign-out" />
      </button>
    </div>
    <GuideDialog />
  </header>
</template>

<style scoped>
.dot {
  display: inline-block;
  width: 6px;
  height: 6px;
  margin-left: 3px;
  border-radius: 50%;
  background: var(--oxide);
  vertical-align: super;
}
.bar {
  height: 44px;
  display: grid;
  grid-template-columns: auto minmax(0, 1fr) auto minmax(max-content, 1fr);
  align-items: center;
  gap: 14px;
  padding: 0 14px;
  background: var(--panel);
  border-bottom: 1px solid var(--line);
}
.mark {
  display: flex;
  align-items: center;
  gap: 9px;
  color: inherit;
  text-decoration: none;
  font-size: 16px;
}
.crumbs {
  justify-self: start;
  max-width: 100%;
}
.crumbs b {
  margin: 0 5px;
}
.crumbs i {
  font-size: 11px;
}
.stages {
  grid-column: 3;
  display: flex;
  align-self: stretch;
  gap: 4px;
}
.stage {
  display: flex;
  align-items: center;
  padding: 2px 13px 0;
  font-size: 14px;
  color: inherit;
  text-decoration: none;
  border-bottom: 2px solid transparent;
}
.stage:hover:not(.off) {
  background: color-mix(in srgb, var(--ink) 4%, transparent);
}
.stage.on {
  font-weight: 600;
  border-color: var(--verdigris);
}
.stage.off {
  color: color-mix(in srgb, var(--muted) 75%, var(--panel));
  cursor: default;
}
.right {
  grid-column: 4;
  justify-self: end;
  display: flex;
  align-items: center;
  gap: 2px;
}
.saved {
  padding: 0 8px;
  white-space: nowrap;
}
@media (width <= 1180px) {
  .crumbs .muted {
    display: none;
  }
  .stage {
    padding: 2px 9px 0;
  }
}
.unkept {
  color: var(--oxide);
  font-weight: 600;
}
</style>
