import vue from '@vitejs/plugin-vue'
import { defineConfig } from 'vitest/config'

/**
 * Tests of what the page itself computes, and of what its controls do, mounted without a browser on a server that tests/web runs (its address is
 * in LIMUS_SERVER). What is seen, and what the mouse takes hold of, is tried in a browser (tests/browser).
 */
const shared = {
  environment: 'happy-dom',
  environmentOptions: {
    happyDOM: { url: process.env.LIMUS_SERVER ?? 'http://localhost/' },
  },
  env: { LIMUS_SERVER: process.env.LIMUS_SERVER ?? '' },
  restoreMocks: true,
  testTimeout: 90_000,
}
export default defineConfig({
  plugins: [vue()],
  test: {
    projects: [
      // Most need no document; those that do say so at their head.
      { extends: true, test: { ...shared, environment: 'node', name: 'computed', include: ['tests/*.test.ts'] } },
      // The whole application is loaded once for all of them, and each test mounts it anew.
      {
        extends: true,
        test: {
          ...shared,
          name: 'mounted',
          include: ['tests/mounted/*.test.ts'],
          setupFiles: ['tests/mounted/setup.ts'],
          isolate: false,
          maxWorkers: 1,
        },
      },
    ],
  },
})
