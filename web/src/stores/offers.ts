import { useDocumentVisibility, useIntervalFn } from '@vueuse/core'
import { ref, watch } from 'vue'
import { api } from '../api/client'
import type { Intake } from '../api/scene'
import type { components } from '../api/schema'
import { useWork } from './work'

type OfferedPicture = components['schemas']['OfferedPictureOut']

/**
 * What programs brought for the open object and nobody has taken or left yet: looked at now, and every twenty seconds
 * while somebody sees the page.
 */
export function useOffers() {
  const work = useWork()
  const visible = useDocumentVisibility()
  const model = ref<Intake>()
  const pictures = ref<OfferedPicture[]>([])
  async function look() {
    const id = work.object?.id
    if (!id || visible.value !== 'visible') return
    const { data } = await api.GET('/api/objects/{object_id}/offered', { params: { path: { object_id: id } } })
    if (!data || work.object?.id !== id) return
    model.value = data.model ?? undefined
    pictures.value = data.pictures
  }
  watch([() => work.object?.id, visible], look, { immediate: true })
  useIntervalFn(look, 20_000)

  async function leaveModel() {
    const { id } = model.value!
    model.value = undefined
    await api.DELETE('/api/intakes/{intake_id}', { params: { path: { intake_id: id } } })
  }
  function gone(picture: OfferedPicture) {
    pictures.value = pictures.value.filter((one) => one.id !== picture.id)
  }
  async function take(picture: OfferedPicture) {
    gone(picture)
    await work.run('replace-file', { was: picture.was, now: picture.now })
  }
  async function leave(picture: OfferedPicture) {
    gone(picture)
    await api.DELETE('/api/offered-pictures/{offer_id}', { params: { path: { offer_id: picture.id } } })
  }
  return { model, pictures, leaveModel, take, leave }
}
