import '@fontsource-variable/source-sans-3'
import 'primeicons/primeicons.css'
import './styles.css'
import { createPinia } from 'pinia'
import PrimeVue from 'primevue/config'
import ConfirmationService from 'primevue/confirmationservice'
import ToastService from 'primevue/toastservice'
import { tooltip } from './controls/tooltip'
import { createApp } from 'vue'
import App from './App.vue'
import { router } from './router'
import { theme } from './theme'

createApp(App)
  .use(createPinia())
  .use(router)
  .use(PrimeVue, {
    theme: {
      preset: theme,
      options: {
        prefix: 'p',
        darkModeSelector: '.app-dim',
        cssLayer: { name: 'primevue', order: 'reset, primevue, app' },
      },
    },
  })
  .use(ToastService)
  .use(ConfirmationService)
  .directive('tooltip', tooltip)
  .mount('#app')
