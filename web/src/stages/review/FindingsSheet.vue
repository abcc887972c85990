<script setup lang="ts">
import Button from 'primevue/button'
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { ReviewFinding } from '../../api/scene'
import { Plan } from '../../rest'
import { useFindings } from '../../stores/findings'
import { useWork } from '../../stores/work'

/** What may be wrong with the surface: where, why it matters, what mends it; or it may be as it is, for good. */
const emit = defineEmits<{ part: [part: number] }>()
const work = useWork()
const findings = useFindings()
const router = useRouter()
const chosen = ref('')
const unfolded = ref(false)
const again = new Plan('the findings')
onMounted(() => findings.of !== findings.now && void findings.look())
onBeforeUnmount(() => again.off())
// An edit here is looked at when it is saved and the hand rests.
watch(
  () => [findings.now, work.saving] as const,
  ([now, saving]) => {
    if (!saving && now !== findings.of && work.object) again.after(700, () => void findings.look())
  },
)
const TITLES = { problem: 'Will be seen', warning: 'Likely not meant', note: 'Worth knowing' } as const
const groups = computed(() =>
  (['problem', 'warning', 'note'] as const)
    .map((severity) => ({ severity, list: findings.open.filter((one) => one.severity === severity) }))
    .filter((group) => group.list.length),
)
/** Show it in the view: the mask of its layer, or its part. */
function show(one: ReviewFinding) {
  chosen.value = one.key
  if (one.layer) {
    work.select(one.layer)
    work.show({ kind: 'mask', layer: one.layer })
  } else if (one.part) {
    work.show({ kind: 'lit' })
    emit('part', work.parts.indexOf(one.part))
  }
}
/** To where it is worked on. */
function go(one: ReviewFinding) {
  const stage = one.layer ? 'weather' : one.base >= 0 || one.part ? 'base' : 'object'
  if (one.layer) {
    work.select(one.layer)
    if (one.line >= 0) work.selectedTerm = one.line
  }
  void router.push({ name: stage, params: { object: work.object?.id } })
}
const mend = (one: ReviewFinding) =>
  one.mend && work.run(one.mend.command, { ...one.mend.arguments, label: one.mend.label }, one.mend.label)
</script>

<template>
  <div class="list">
    <p v-if="findings.state === 'looking'" class="muted" role="status">Looking…</p>
    <p v-if="findings.state === 'failed'" class="trouble" role="alert">
      {{ findings.wrong }}
      <button type="button" class="link" @click="findings.look()">Look again</button>
    </p>
    <p v-if="findings.state === 'ready' && !findings.open.length" class="muted">
      Nothing was found that may be wrong. The rest is for your eye: turn the light, come near, step back.
    </p>
    <section v-for="group in groups" :key="group.severity">
      <h2 class="muted">{{ TITLES[group.severity] }}</h2>
      <article
        v-for="one in group.list"
        :key="one.key"
        :class="[one.severity, { on: one.key === chosen }]"
        :data-finding="one.key"
      >
        <button type="button" class="what" @click="show(one)">{{ one.what }}</button>
        <p>{{ one.why }}</p>
        <p v-if="one.how" class="muted">{{ one.how }}</p>
        <div class="acts">
          <Button v-if="one.mend" size="small" severity="secondary" :label="one.mend.label" @click="mend(one)" />
          <button type="button" class="link" @click="go(one)">Go to it</button>
          <button type="button" class="link" @click="findings.accept(one.key, true)">Accept for good</button>
        </div>
      </article>
    </section>
    <section v-if="findings.letBe.length">
      <button type="button" class="link" :aria-expanded="unfolded" @click="unfolded = !unfolded">
        {{ findings.letBe.length }} accepted
      </button>
      <template v-if="unfolded">
        <article v-for="one in findings.letBe" :key="one.key" class="note">
          <span>{{ one.what }}</span>
          <div class="acts">
            <button type="button" class="link" @click="findings.accept(one.key, false)">Show it again</button>
          </div>
        </article>
      </template>
    </section>
  </div>
</template>

<style scoped>
h2 {
  font-size: 12px;
  font-weight: 600;
  padding: 8px 0 4px;
}
.list {
  padding: 0 16px 16px;
  overflow-y: auto;
}
article {
  display: grid;
  gap: 3px;
  padding: 8px 0 8px 10px;
  border-left: 3px solid var(--line);
  margin-bottom: 6px;
}
article.problem {
  border-left-color: var(--oxide);
}
article.warning {
  border-left-color: color-mix(in srgb, var(--oxide) 55%, var(--line));
}
article.on {
  background: var(--tint);
}
.what {
  font-weight: 600;
  text-align: left;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: center;
  padding-top: 2px;
}
.trouble {
  color: var(--oxide);
}
</style>
