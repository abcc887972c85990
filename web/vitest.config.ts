import { defineConfig } from 'vitest/config'

/** Tests of what the page itself computes; everything else is tried in a browser (tests/browser). */
export default defineConfig({
  test: {
    include: ['tests/**/*.test.ts'],
    environment: 'happy-dom',
    environmentOptions: { happyDOM: { url: 'http://localhost/' } },
    restoreMocks: true,
  },
})
