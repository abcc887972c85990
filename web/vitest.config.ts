import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

/**
 * Tests of what the page itself computes, and of what its controls do, mounted without a browser on a server that tests/web runs (its address is
 * in LIMUS_SERVER). What is seen, and what the mouse takes hold of, is tried in a browser (tests/browser).
 */
export default defineConfig({
  plugins: [vue()],
  test: {
    include: ['tests/**/*.test.ts'],
    environment: 'happy-dom',
    environmentOptions: { happyDOM: { url: process.env.LIMUS_SERVER ?? 'http://localhost/' } },
    env: { LIMUS_SERVER: process.env.LIMUS_SERVER ?? '' },
    restoreMocks: true,
    testTimeout: 90_000,
  },
})
