import { api, messageOf } from '../../api/client'
import { type State, type Verbs } from './state'

/** Treatments of the shelf. */
export function treatments(s: State, w: Verbs) {
  const { object, trouble, notice } = s
  /** Put a treatment of the shelf on this object, in sizes that suit it. */
  const treat = (treatment: string, title: string) => w.run('paste', { treatment }, `Treatment: ${title}`)
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
