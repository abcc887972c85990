import type Tooltip from 'primevue/tooltip'

declare module 'vue' {
  interface GlobalDirectives {
    vTooltip: typeof Tooltip
  }
}
