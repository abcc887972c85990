import createClient from 'openapi-fetch'
import { during } from '../rest'
import type { paths } from './schema'

function csrf(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? ''
}

/** For what is asked while nobody waits: the page is at rest meanwhile. */
export const unheard = (request: Request) => fetch(request)
export const api = createClient<paths>({
  baseUrl: '/',
  credentials: 'same-origin',
  // Looked up when it is called.
  fetch: (request) => fetch(request),
})
// What is asked is over when who asked has its answer: its body is read by then, and what follows from it has begun.
for (const verb of ['GET', 'PUT', 'POST', 'PATCH', 'DELETE'] as const) {
  const ask = api[verb] as (where: string, how?: { fetch?: unknown }) => Promise<unknown>
  const heard: typeof ask = (where, how) => (how?.fetch === unheard ? ask(where, how) : during(where, ask(where, how)))
  api[verb] = heard as never
}
api.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrf())
    return request
  },
  onResponse({ response }) {
    // Signed out elsewhere: the sign-in page comes back here afterwards.
    if (response.status === 401) location.assign(`/sign-in/?next=${encodeURIComponent(location.pathname)}`)
  },
})

/** The one line of a refusal, whatever shape it has. */
export function messageOf(error: unknown, fallback = 'The server did not answer. Check that it is running.'): string {
  if (error && typeof error === 'object') {
    if ('message' in error && typeof error.message === 'string') return error.message
    if ('detail' in error) {
      const detail = error.detail
      if (typeof detail === 'string') return detail
      if (Array.isArray(detail) && detail[0]?.msg)
        return `${(detail[0].loc ?? []).slice(2).join('.')}: ${detail[0].msg}`
    }
  }
  return fallback
}

/**
 * Ask until there is an answer: a server that fails or is away is asked again, less often the longer it takes; `say` is
 * told why, and with an empty line when it is over. A refusal is an answer.
 */
export async function insist<T extends { response: Response; error?: unknown }>(
  ask: () => Promise<T>,
  say: (why: string) => void,
): Promise<T> {
  for (let tries = 0; ; tries++) {
    let why = 'The server did not answer. Check that it is running.'
    try {
      const found = await ask()
      if (found.response.status < 500) {
        if (tries) say('')
        return found
      }
      why = messageOf(found.error, 'The server failed.')
    } catch {
      // No answer at all.
    }
    say(why)
    await new Promise((go) => setTimeout(go, Math.min(1000 * 2 ** tries, 30_000)))
  }
}

/** Send a file with progress in bytes; the answer, or a refusal as the error's message. */
function sendLarge<T>(address: string, file: File, progress: (bytes: number) => void, signal: AbortSignal): Promise<T> {
  const sent = new Promise<T>((resolve, reject) => {
    const request = new XMLHttpRequest()
    request.open('PUT', `${address}?name=${encodeURIComponent(file.name)}`)
    request.setRequestHeader('X-CSRFToken', csrf())
    request.responseType = 'json'
    request.upload.onprogress = (event) => progress(event.loaded)
    request.onload = () =>
      request.status === 201 ? resolve(request.response as T) : reject(new Error(messageOf(request.response)))
    request.onerror = () => reject(new Error('The upload broke off. Check that the server is running, and try again.'))
    request.onabort = () => reject(new DOMException('Cancelled', 'AbortError'))
    signal.addEventListener('abort', () => request.abort())
    request.send(file)
  })
  return during('an upload', sent)
}

/** Send one file of an intake. */
export const sendFile = (intake: number, file: File, progress: (bytes: number) => void, signal: AbortSignal) =>
  sendLarge<unknown>(`/api/intakes/${intake}/files`, file, progress, signal)
/** Bring a texture file or a zip of them into a project. */
export const sendMapFile = (project: number, file: File, progress: (bytes: number) => void, signal: AbortSignal) =>
  sendLarge<{ files: { file: string; name: string }[]; refused: string[] }>(
    `/api/projects/${project}/texture-files`,
    file,
    progress,
    signal,
  )

/** Bring a picture into a project. */
export const sendPicture = (project: number, file: File) =>
  sendTo<{ file: string; name: string }>(`/api/projects/${project}/pictures`, file)
/** Hang a photograph on the wall of a project; its refusal is the error's message. */
export const sendPhotograph = <T>(project: number, file: File) =>
  sendTo<T>(`/api/projects/${project}/photographs`, file)

const sendTo = <T>(address: string, file: File) => during('an upload', reallySendTo<T>(address, file))

async function reallySendTo<T>(address: string, file: File): Promise<T> {
  const answer = await fetch(`${address}?name=${encodeURIComponent(file.name)}`, {
    method: 'PUT',
    credentials: 'same-origin',
    headers: { 'X-CSRFToken': csrf() },
    body: file,
  })
  const body: unknown = await answer.json()
  if (!answer.ok) throw new Error(messageOf(body))
  return body as T
}

/** Bring in a treatment file; its refusal is the error's message. */
export const bringTreatment = (file: File) => during('an upload', reallyBringTreatment(file))

async function reallyBringTreatment(file: File): Promise<void> {
  const answer = await fetch(`/api/treatments/file?name=${encodeURIComponent(file.name)}`, {
    method: 'POST',
    credentials: 'same-origin',
    headers: { 'X-CSRFToken': csrf(), 'Content-Type': 'application/json' },
    body: file,
  })
  if (!answer.ok) throw new Error(messageOf(await answer.json().catch(() => undefined)))
}
