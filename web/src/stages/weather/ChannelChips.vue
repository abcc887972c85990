<script setup lang="ts">
import Select from 'primevue/select'
import { computed, ref } from 'vue'
import type { ChannelUse, Layer } from '../../api/scene'
import NumberField from '../../controls/NumberField.vue'
import { useWork } from '../../stores/work'

/** Which channels the layer speaks in, how strongly, and with which blend. */
const props = defineProps<{ layer: Layer; family: string }>()
const work = useWork()
const channel = ref('')
/** Those that it changes something in, and those that somebody set; all of them until that is known. */
const shown = computed(() => {
  const all = Object.entries(work.catalogue?.channels ?? {})
  const speaks = work.outcome.get(props.layer.id)?.speaks ?? []
  return speaks.length ? all.filter(([name]) => speaks.includes(name) || name in props.layer.channels) : all
})
const BLENDS = computed(() =>
  (work.catalogue?.blends ?? []).map((value) => ({ value, label: value.replace('-', ' ') })),
)
const AMOUNT = {
  title: 'Amount',
  unit: '%',
  soft: [0, 1] as [number, number],
  minimum: 0,
  maximum: 1,
  default: 1,
  control: 'slider' as const,
}

const use = (name: string): ChannelUse => props.layer.channels[name] ?? { on: true, amount: 1, blend: 'normal' }
function set(name: string, change: Partial<ChannelUse>) {
  const next = { ...use(name), ...change }
  const channels = { ...props.layer.channels }
  if (next.on && next.amount === 1 && next.blend === 'normal') delete channels[name]
  else channels[name] = next
  // eslint-disable-next-line vue/no-mutating-props -- the layer is part of the store's scene
  props.layer.channels = channels
}
function toggle(name: string) {
  set(name, { on: !use(name).on })
  void work.commit(`${work.catalogue?.channels[name]} ${use(name).on ? 'on' : 'off'}`)
}
function openDetails(name: string) {
  channel.value = channel.value === name ? '' : name
}
const word = (name: string) => {
  const u = use(name)
  return [u.amount < 1 ? `${Math.round(u.amount * 100)} %` : '', u.blend === 'normal' ? '' : u.blend.replace('-', ' ')]
    .filter(Boolean)
    .join(', ')
}
</script>

<template>
  <div class="chips" role="group" aria-label="Channels">
    <span v-for="[name, title] in shown" :key="name" class="pill" :class="{ off: !use(name).on }">
      <button
        v-tooltip.top="use(name).on ? 'Leave this channel as it was' : 'Speak in this channel again'"
        type="button"
        :aria-pressed="use(name).on"
        :data-channel="name"
        @click="toggle(name)"
      >
        {{ title }}
        <small v-if="word(name)">{{ word(name) }}</small>
      </button>
      <button
        v-tooltip.top="'Amount and blend'"
        type="button"
        class="more"
        :aria-label="`${title}: amount and blend`"
        :aria-expanded="channel === name"
        @click="openDetails(name)"
      >
        <i class="pi pi-angle-down" />
      </button>
    </span>
    <div v-if="channel" class="details">
      <b>{{ work.catalogue?.channels[channel] }}</b>
      <NumberField
        name="channel-amount"
        :field="AMOUNT"
        :model-value="use(channel).amount"
        @drag="(v) => (set(channel, { amount: v }), work.preview())"
        @done="work.commit('Channel amount')"
      />
      <div v-if="family !== 'loss' && channel !== 'relief'" class="blend">
        <label for="blend">Blend</label>
        <Select
          input-id="blend"
          size="small"
          :model-value="use(channel).blend"
          :options="BLENDS"
          option-label="label"
          option-value="value"
          @update:model-value="(v) => (set(channel, { blend: v }), work.commit('Channel blend'))"
        />
      </div>
    </div>
  </div>
</template>

<style scoped>
.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 5px;
  padding-top: 6px;
}
.pill {
  display: inline-flex;
  align-items: center;
  border: 1px solid color-mix(in srgb, var(--verdigris) 45%, var(--line));
  border-radius: 999px;
  padding: 0 1px 0 10px;
  background: color-mix(in srgb, var(--tint) 45%, transparent);
}
.pill.off {
  color: var(--muted);
  text-decoration: line-through;
  background: none;
  border-color: var(--line);
}
.more {
  color: var(--muted);
  width: 24px;
  height: 24px;
  display: grid;
  place-items: center;
}
.more i {
  font-size: 10px;
}
small {
  margin-left: 5px;
  color: var(--muted);
}
.details {
  flex-basis: 100%;
  display: grid;
  gap: 2px;
  padding: 4px 0;
}
.blend {
  display: grid;
  grid-template-columns: 106px 1fr;
  gap: 10px;
  align-items: center;
}
</style>
