import { defineStore } from 'pinia'
import { computed, ref, watch } from 'vue'
import { api, messageOf } from '../api/client'
import type { ReviewFinding } from '../api/scene'
import { during } from '../rest'
import { useWork } from './work'

/** What may be wrong with the surface: looked for when the Review stage is open, and again after each edit there. */
export const useFindings = defineStore('findings', () => {
  const work = useWork()
  const found = ref<ReviewFinding[]>([])
  const state = ref<'none' | 'looking' | 'ready' | 'failed'>('none')
  const wrong = ref('')
  /** Which object and version was looked at. */
  const of = ref('')
  let ticket = 0
  const client = Math.random().toString(36).slice(2)

  const now = computed(() => `${work.object?.id} ${work.version?.version}`)
  const accepted = computed(() => new Set(work.scene?.accepted ?? []))
  const open = computed(() => found.value.filter((one) => !accepted.value.has(one.key)))
  const let_be = computed(() => found.value.filter((one) => accepted.value.has(one.key)))
  /** What the dot on the stage's name counts: notes are no call for attention. */
  const calls = computed(() =>
    (of.value.startsWith(`${work.object?.id} `) ? open.value : []).filter((one) => one.severity !== 'note'),
  )
  watch(
    () => work.object?.id,
    () => {
      found.value = []
      state.value = 'none'
      of.value = ''
    },
  )

  async function look() {
    const id = work.object?.id
    if (!id) return
    const mine = ++ticket
    const about = now.value
    state.value = 'looking'
    const { data, error, response } = await during(
      'the findings',
      api.POST('/api/objects/{object_id}/findings', {
        params: { path: { object_id: id } },
        body: { resolution: Math.min(512, work.size), ticket: mine, client },
      }),
    )
    if (mine !== ticket || work.object?.id !== id) return
    if (data) {
      found.value = data.findings as ReviewFinding[]
      of.value = about
      state.value = 'ready'
    } else if (response.status !== 409) {
      wrong.value = messageOf(error)
      state.value = 'failed'
    }
  }
  const accept = (key: string, yes: boolean) => work.run('accept-finding', { key, accept: yes })
  return { found, state, wrong, of, now, open, letBe: let_be, calls, look, accept }
})
