/**
 * Import before anything that talks to the server: requests then go to whatever `globalThis.fetch` is when they are
 * made.
 */
import { vi } from 'vitest'

vi.mock('openapi-fetch', async (original) => {
  const create = (await original<typeof import('openapi-fetch')>()).default
  const answer = (request: Request) => (globalThis.fetch as (r: Request) => Promise<Response>)(request)
  return { default: (options: object) => create({ ...options, fetch: answer }) }
})
