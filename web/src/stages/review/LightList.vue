<script setup lang="ts">
import InputText from 'primevue/inputtext'
import Slider from 'primevue/slider'
import { useIntervalFn, useLocalStorage } from '@vueuse/core'
import { nextTick, onBeforeUnmount, ref, watch } from 'vue'
import { api } from '../../api/client'
import MomentList from '../../moments/MomentList.vue'
import { useLights, type KeptLight } from '../../view3d/useLights'
import { useWork } from '../../stores/work'
import type { Light } from '../../view3d/sceneLight'
import type { Setup } from '../../view3d/lights'

/** The set-ups of light, with their keys; a ball shows where each comes from. The sun of the setting, panoramas and
 *  lights of one's own. */
const props = defineProps<{ chosen: string; light?: Light }>()
const emit = defineEmits<{ choose: [id: string]; aim: [to: Partial<Light>] }>()
const work = useWork()
const lights = useLights()
/** A ball in that light: its bright side where the key light or the brightest of the surroundings stands. */
function ball(one: Setup): string {
  const tone = (c: number[], k: number) =>
    `rgb(${c.map((x) => Math.round(255 * Math.min(1, x * k) ** (1 / 2.2))).join(' ')})`
  const a = (one.azimuth * Math.PI) / 180
  const across = 50 + 38 * Math.sin(a) * Math.cos((one.elevation * Math.PI) / 180)
  const down = one.id === 'table' ? 92 : 50 - 40 * Math.sin((one.elevation * Math.PI) / 180)
  const lit = one.tint.map((t, k) => (t * one.key) / 5 + one.sky(0, 60)[k] * one.around * 0.4)
  const shade = one.sky(180, 20).map((s) => s * one.around * 0.35)
  return `radial-gradient(circle at ${across}% ${down}%, ${tone(lit, one.exposure * 1.3)}, ${tone(shade, one.exposure)} 78%)`
}
const picker = ref<HTMLInputElement>()
async function brought() {
  await lights.bring([...(picker.value?.files ?? [])])
  picker.value!.value = ''
  const last = lights.own.at(-1)
  if (last && !lights.wrong) emit('choose', last.id)
}

/** A grazing light carried once round: relief shows, whichever way it runs. */
const sweep = useIntervalFn(
  () => {
    const azimuth = (((props.light?.azimuth ?? 0) + 4 + 540) % 360) - 180
    emit('aim', { azimuth, elevation: 8 })
    left -= 4
    if (left <= 0) sweep.pause()
  },
  50,
  { immediate: false },
)
let left = 0
function sweepRound() {
  if (sweep.isActive.value) return sweep.pause()
  emit('choose', 'grazing')
  left = 360
  sweep.resume()
}
onBeforeUnmount(() => sweep.pause())

/** Day of the year and solar hour of the sun. */
const sun = useLocalStorage('limus.sun', { day: 172, hour: 10 })
const sunOpen = ref(false)
const night = ref(false)
let asked = 0
async function shine() {
  const id = work.object?.id
  if (id === undefined) return
  const mine = ++asked
  const { data } = await api.GET('/api/objects/{object_id}/sun', {
    params: { path: { object_id: id }, query: { day: sun.value.day, hour: sun.value.hour } },
  })
  if (mine !== asked || !data) return
  night.value = data.elevation <= 0
  if (night.value) return
  const wanted = data.elevation < 22 ? 'low-sun' : 'noon'
  if (props.chosen !== wanted) emit('choose', wanted)
  emit('aim', { azimuth: data.azimuth, elevation: Math.max(1, data.elevation) })
}
function openSun() {
  sunOpen.value = !sunOpen.value
  if (sunOpen.value) void shine()
}
watch(sun, () => sunOpen.value && void shine(), { deep: true })
/** "21 June" of a day of the year. */
const dayWord = (day: number) =>
  new Date(Date.UTC(2025, 0, day)).toLocaleDateString('en-GB', { day: 'numeric', month: 'long', timeZone: 'UTC' })
const hourWord = (hour: number) =>
  `${String(Math.floor(hour)).padStart(2, '0')}:${String(Math.round((hour % 1) * 60)).padStart(2, '0')}`

const naming = ref(false)
const name = ref('')
const field = ref<{ $el: HTMLInputElement }>()
async function begin() {
  naming.value = true
  name.value = ''
  await nextTick()
  field.value?.$el.focus()
}
function named(keep: boolean) {
  const title = name.value.trim()
  if (!naming.value) return
  naming.value = false
  if (keep && title && props.light) lights.keep({ title, setup: props.chosen, ...props.light })
}
function take(one: KeptLight) {
  emit('choose', one.setup)
  emit('aim', { azimuth: one.azimuth, elevation: one.elevation, strength: one.strength })
}
</script>

<template>
  <nav class="side-list" aria-label="Light">
    <h2 class="muted">Light</h2>
    <div v-for="(one, k) in lights.all" :key="one.id" class="row" :class="{ on: one.id === chosen }">
      <button
        v-tooltip.right="one.about"
        type="button"
        class="pick"
        :aria-current="one.id === chosen"
        :data-light="one.id"
        @click="$emit('choose', one.id)"
      >
        <i class="ball" :style="{ background: ball(one) }" />
        <span class="clip">{{ one.title }}</span>
      </button>
      <kbd v-if="k < 8">{{ k + 1 }}</kbd>
      <button
        v-else
        type="button"
        class="icon-button"
        :aria-label="`Remove ${one.title}`"
        @click="(one.id === chosen && $emit('choose', 'north'), lights.drop(one.id))"
      >
        <i class="pi pi-times" />
      </button>
    </div>
    <div v-for="one in lights.kept" :key="one.id" class="row">
      <button type="button" class="pick" :data-kept-light="one.id" @click="take(one)">
        <i class="ball" :style="{ background: ball(lights.of(one.setup)) }" />
        <span class="clip">{{ one.title }}</span>
      </button>
      <button type="button" class="icon-button" :aria-label="`Remove ${one.title}`" @click="lights.forget(one.id)">
        <i class="pi pi-times" />
      </button>
    </div>
    <div class="more">
      <button type="button" class="link" :aria-expanded="sunOpen" @click="openSun">Sun of the setting</button>
      <div v-if="sunOpen" class="sun">
        <label>
          {{ dayWord(sun.day) }}
          <Slider
            :model-value="sun.day"
            :min="1"
            :max="365"
            aria-label="Day of the year"
            @update:model-value="(v) => (sun = { ...sun, day: Number(v) })"
          />
        </label>
        <label>
          {{ hourWord(sun.hour) }}, by the sun
          <Slider
            :model-value="sun.hour"
            :min="0"
            :max="24"
            :step="0.25"
            aria-label="Hour by the sun"
            @update:model-value="(v) => (sun = { ...sun, hour: Number(v) })"
          />
        </label>
        <p v-if="night" class="muted" role="status">The sun is below the horizon then.</p>
      </div>
      <button type="button" class="link" :aria-pressed="sweep.isActive.value" @click="sweepRound">
        {{ sweep.isActive.value ? 'Stop the sweep' : 'Grazing sweep' }}
      </button>
      <button type="button" class="link" @click="picker?.click()">Panorama of your own…</button>
      <input
        ref="picker"
        type="file"
        hidden
        multiple
        accept=".hdr,.exr"
        aria-label="Panoramas: light all round"
        @change="brought"
      />
      <InputText
        v-if="naming"
        ref="field"
        v-model="name"
        size="small"
        maxlength="60"
        placeholder="Name of this light"
        aria-label="Name of the light"
        @blur="named(true)"
        @keydown.enter="named(true)"
        @keydown.esc.stop="named(false)"
      />
      <button v-else type="button" class="link" @click="begin">Keep this light</button>
      <p v-if="lights.wrong" class="trouble" role="alert">{{ lights.wrong }}</p>
      <p v-else-if="lights.note" class="muted" role="status">{{ lights.note }}</p>
    </div>
    <MomentList />
    <p class="muted how">
      Turn the light with the disc in the view or with [ and ]; it stays in every stage. Tone curve: Khronos PBR
      Neutral, exposure {{ lights.of(chosen).exposure }}.
    </p>
  </nav>
</template>

<style scoped>
.pick {
  display: flex;
  flex: 1;
  min-width: 0;
  align-items: center;
  gap: 9px;
  text-align: left;
  min-height: 27px;
}
.ball {
  width: 22px;
  height: 22px;
  border-radius: 50%;
  flex: none;
}
kbd {
  color: var(--muted);
  font: inherit;
}
.more {
  display: grid;
  gap: 5px;
  justify-items: start;
  padding: 5px 14px;
}
.sun {
  display: grid;
  gap: 12px;
  width: 100%;
  padding: 2px 6px 8px 0;
}
.sun label {
  display: grid;
  gap: 7px;
}
.how {
  padding: 10px 14px;
  font-size: 12px;
}
.trouble {
  color: var(--oxide);
}
</style>
