<script setup lang="ts">
/** Deposit: a hump over the surface. Change: the surface itself ripples. Loss: a notch in it. */
const props = defineProps<{ family: string }>()
const path = {
  deposit: 'M1 11h18M4.5 11c1-5.5 9.5-5.5 10.5 0M7.5 4.2h5',
  change: 'M1 9c2.2-4 4.3-4 6.2-.6s3.6 3.4 5.6.2S16.800 4.800 19 9',
  loss: 'M1 6h5.200l3.600 6.400L13.800 6H19',
}
const words: Record<string, string> = {
  deposit: 'Deposit: something was added',
  change: 'Change: the exposed surface altered',
  loss: 'Loss: something was taken away',
}
</script>

<template>
  <svg
    viewBox="0 0 20 15"
    width="20"
    height="15"
    role="img"
    :aria-label="words[props.family]"
    fill="none"
    stroke="currentColor"
    stroke-width="1.600"
    stroke-linecap="round"
    stroke-linejoin="round"
  >
    <path :d="path[props.family as keyof typeof path] ?? ''" />
  </svg>
</template>
