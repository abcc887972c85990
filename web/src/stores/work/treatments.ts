import type { Sent } from '../../api/scene'
import { api, messageOf } from '../../api/client'
import type { Scene } from '../../api/scene'
import { copy, type State, type Verbs } from './state'

/** Treatments of the shelf. */
export function treatments(s: State, w: Verbs) {
  const { object, scene, selectedId, selectedEpisode, until, trouble, notice } = s
  /** Put a treatment of the shelf on this object, in sizes that suit it. */
  async function treat(name: string, title: string): Promise<boolean> {
    if (!object.value || !scene.value) return false
    const { data, error } = await api.POST('/api/objects/{object_id}/treatments/put-on', {
      params: { path: { object_id: object.value.id } },
      body: { name, document: copy(scene.value) as unknown as Sent },
    })
    if (!data) {
      trouble.value = messageOf(error)
      return false
    }
    const made = data.document as unknown as Scene
    w.edit(`Treatment: ${title}`, (now) => {
      now.layers = made.layers
      now.episodes = made.episodes
      selectedId.value = data.layers.at(-1) ?? selectedId.value
      selectedEpisode.value = ''
      until.value = null
    })
    if (data.notes.length) notice.value = data.notes.join('. ')
    return true
  }
  async function saveTreatment(name: string, about: string, layers: string[]): Promise<boolean> {
    await w.saved()
    const { data, error } = await api.POST('/api/objects/{object_id}/treatments', {
      params: { path: { object_id: object.value!.id } },
      body: { name, about, layers },
    })
    if (!data) {
      trouble.value = messageOf(error)
      return false
    }
    notice.value = [`Saved as the treatment '${data.treatment.title}'.`, ...data.notes].join(' ')
    return true
  }

  return { treat, saveTreatment }
}
