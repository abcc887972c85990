import { useLocalStorage } from '@vueuse/core'
import { defineStore } from 'pinia'
import { computed, ref, shallowRef } from 'vue'
import { equirectangular, SETUPS, type Setup } from './lights'
import { dropPanorama, keepPanorama, keptPanoramas, levelOf, readPanorama, type Panorama } from './ownPanorama'

/** A light that was kept by name: a set-up, and how it was turned and how strong it was. */
export interface KeptLight {
  id: string
  title: string
  setup: string
  azimuth: number
  elevation: number
  strength: number
}

/** Mean luminance of the surroundings that the exposures of our own set-ups suit. */
const USUAL = 0.55

/** Set-ups of light: those that ship, panoramas of one's own, and lights kept by name. All stay in the browser. */
export const useLights = defineStore('lights', () => {
  const panoramas = shallowRef<Panorama[]>([])
  const kept = useLocalStorage<KeptLight[]>('limus.lights', [])
  const wrong = ref('')
  const note = ref('')
  void keptPanoramas()
    .then((found) => (panoramas.value = found))
    .catch(() => {})

  const own = computed<Setup[]>(() =>
    panoramas.value.map((one) => ({
      ...SETUPS[0],
      id: one.id,
      title: one.title,
      about: 'A panorama of your own',
      around: (0.85 * USUAL) / Math.max(levelOf(one), 1e-4),
      key: 0,
      room: () => equirectangular(one.data, one.width, one.height),
    })),
  )
  const all = computed(() => [...SETUPS, ...own.value])
  const of = (id: string) => all.value.find((one) => one.id === id) ?? SETUPS[0]

  async function bring(files: File[]) {
    wrong.value = note.value = ''
    for (const file of files)
      try {
        const { found, note: said } = await readPanorama(file)
        await keepPanorama(found)
        panoramas.value = [...panoramas.value, found]
        note.value = said
      } catch (error) {
        wrong.value = error instanceof Error ? error.message : `${file.name} was not taken in.`
      }
  }
  async function drop(id: string) {
    await dropPanorama(id)
    panoramas.value = panoramas.value.filter((one) => one.id !== id)
  }
  function keep(light: Omit<KeptLight, 'id'>) {
    kept.value = [...kept.value, { ...light, id: crypto.randomUUID().slice(0, 8) }]
  }
  const forget = (id: string) => (kept.value = kept.value.filter((one) => one.id !== id))
  return { all, own, of, kept, wrong, note, bring, drop, keep, forget }
})
