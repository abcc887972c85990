import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vite'

export default defineConfig(({ command }) => ({
  base: command === 'build' ? '/static/web/' : '/',
  plugins: [vue()],
  build: {
    manifest: 'manifest.json',
    chunkSizeWarningLimit: 1200,
    rolldownOptions: {
      output: {
        codeSplitting: {
          groups: [
            { name: 'three', test: /node_modules\/three/ },
            { name: 'interface', test: /node_modules\/(primevue|@primevue|@primeuix|vue|@vue|pinia)/ },
          ],
        },
      },
    },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8640', '/sign-in': 'http://127.0.0.1:8640' } },
}))
