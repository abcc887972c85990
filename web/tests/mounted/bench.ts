/**
 * The application mounted on a document without a browser, talking to the real server that tests/web runs beside it:
 * for what a control, a sheet or a line of the interface does. What needs the mouse's place on the screen, or the
 * picture, is tried in a browser (tests/browser).
 */
import { configure, fireEvent, screen, waitFor, within } from '@testing-library/dom'
import userEvent, { type UserEvent } from '@testing-library/user-event'
import { createPinia } from 'pinia'
import PrimeVue from 'primevue/config'
import ConfirmationService from 'primevue/confirmationservice'
import ToastService from 'primevue/toastservice'
import { tooltip } from '../../src/controls/tooltip'
import { expect } from 'vitest'
import { createApp, type App as Application } from 'vue'
import App from '../../src/App.vue'
import type { Scene } from '../../src/api/scene'
import { router } from '../../src/router'

const PATIENCE = 60_000
// Whether each element could be seen is asked of every style above it, which took most of the time of these tests.
configure({ asyncUtilTimeout: PATIENCE, defaultHidden: true })
// Nor does anything here depend on sheets of styles, which what reads names asks of every element: its own is enough.
globalThis.getComputedStyle = ((of: HTMLElement) => of.style) as never
/** Where tests/web serves the application; nothing is mounted without it. */
export const SERVER = String(import.meta.env.LIMUS_SERVER ?? '')

interface Heard {
  method: string
  path: string
  status: number
}
/** What comes between the page and the server: an answer of its own, or nothing where the server shall answer. */
export type Between = (
  path: string,
  method: string,
  body: string,
) => Response | undefined | Promise<Response | undefined>

// Nothing is drawn here: what paints a picture for the view paints on nothing.
const brush: object = new Proxy({}, { get: (_, name) => (name === 'then' ? undefined : () => brush), set: () => true })
HTMLCanvasElement.prototype.getContext = (() => brush) as never

let running: Application | undefined
let faults: string[] = []
const real = globalThis.fetch

export class Bench {
  readonly user: UserEvent = userEvent.setup({ delay: null })
  readonly heard: Heard[] = []
  between: Between | undefined
  constructor(readonly id: number) {}

  /** Nothing asked, nothing planned, the last change in the document. */
  async rest() {
    // What was just done is begun within a frame.
    for (let k = 0; k < 2; k++) await new Promise((go) => requestAnimationFrame(() => setTimeout(go)))
    await waitFor(() => expect(document.documentElement.dataset.rest).toBe('yes'))
  }
  async click(what: Element) {
    await this.user.click(what)
    await this.rest()
  }
  /** Type into a field and leave it by Enter. */
  async type(field: Element, text: string) {
    await this.user.clear(field)
    await this.user.type(field, `${text}{Enter}`)
    await this.rest()
  }
  /** What a number field holds when it is left: its own reading of keys asks for a real browser. */
  async number(field: HTMLElement, text: string) {
    field.focus()
    ;(field as HTMLInputElement).value = text
    fireEvent.blur(field)
    await this.rest()
  }
  /** Open a list or a menu, and take what is called this. */
  async pick(opener: Element, role: 'option' | 'menuitem', name: string) {
    await this.user.click(opener)
    const line = await screen.findByRole(role, { name })
    // A line of a menu is pressed on what stands in it.
    await this.click(line.querySelector('.p-menu-item-content') ?? line)
  }
  button(name: string | RegExp, among: Element = document.body) {
    return within(among as HTMLElement).getByRole('button', { name })
  }
  layer = (id: string) => one(`[data-layer="${id}"]`)
  field = (name: string) => one(`[data-field="${name}"]`)
  order = () => [...document.querySelectorAll<HTMLElement>('[data-layer]')].map((c) => c.dataset.layer)
  async select(layer: string) {
    await this.click(this.layer(layer))
  }
  /** What the server keeps, by its own account. */
  async saved(): Promise<Scene> {
    const answer = await real(`${SERVER}/api/objects/${this.id}`)
    return ((await answer.json()) as { scene: { document: Scene } }).scene.document
  }
  /** Another window sets these values of the scene. */
  async elsewhere(values: Record<string, unknown>) {
    const scene = (await (await real(`${SERVER}/api/objects/${this.id}`)).json()) as { scene: { version: number } }
    const answer = await real(`${SERVER}/api/objects/${this.id}/edit`, {
      method: 'POST',
      headers: {
        'Content-Type': 'application/json',
        'X-CSRFToken': /csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? '',
      },
      body: JSON.stringify({
        base: scene.scene.version,
        name: 'set',
        token: `elsewhere-${Math.random()}`,
        arguments: { values, label: 'Elsewhere' },
      }),
    })
    expect(answer.status, await answer.clone().text()).toBe(200)
  }
  /** One layer of what the server keeps. */
  async kept(layer: string) {
    return (await this.saved()).layers.find((l) => l.id === layer)!
  }
  async press(keys: string) {
    await this.user.keyboard(keys)
    await this.rest()
  }
}

export function one(selector: string, among: ParentNode = document): HTMLElement {
  const found = among.querySelectorAll<HTMLElement>(selector)
  expect(found.length, selector).toBeGreaterThan(0)
  return found[0]
}
export const last = (selector: string): HTMLElement => [...document.querySelectorAll<HTMLElement>(selector)].at(-1)!
export const words = (of: Element) => (of.textContent ?? '').replace(/\s+/g, ' ').trim()

/** A new object of five layers (or of the whole story of the demo), opened in a stage. */
export async function opened(stage = 'weather', story = 'short'): Promise<Bench> {
  expect(SERVER, 'run this through the test command of the README').not.toBe('')
  // A page brings the cookies of the session; requests of the API carry them.
  await real(`${SERVER}/`)
  const { id } = (await (await real(`${SERVER}/fresh?story=${story}`)).json()) as { id: number }
  const bench = new Bench(id)
  await mount(bench, `/object/${id}/${stage}`)
  return bench
}

/** Leave the page and come back to an address of it, as a reload does. */
export async function mount(bench: Bench, address: string) {
  await leave()
  localStorage['limus.view'] = 'off'
  localStorage['limus.close'] = 'off'
  localStorage['limus.size'] = '128'
  globalThis.fetch = (async (request: Request) => {
    const path = new URL(request.url).pathname
    const body = request.method === 'GET' ? '' : await request.clone().text()
    // Nobody sees the pictures of the picker, and those of every effect take a quarter of a minute.
    const unseen = path.endsWith('/glimpse') && request.method === 'POST' ? new Response('{}', { status: 409 }) : null
    const answer = (await bench.between?.(path, request.method, body)) ?? unseen ?? (await real(request))
    bench.heard.push({ method: request.method, path, status: answer.status })
    return answer
  }) as typeof fetch
  document.body.innerHTML = '<div id="app"></div>'
  history.replaceState({}, '', address)
  running = createApp(App)
    .use(createPinia())
    .use(router)
    .use(PrimeVue, {})
    .use(ToastService)
    .use(ConfirmationService)
    .directive('tooltip', tooltip)
  running.config.errorHandler = (error) => faults.push(String(error))
  await router.replace(address)
  running.mount('#app')
  await waitFor(() => expect(document.querySelector('[data-testid=view-label], main.start, main.batch')).not.toBeNull())
  await bench.rest()
}

async function leave() {
  running?.unmount()
  // What it asked last still comes back.
  if (running) await waitFor(() => expect(document.documentElement.dataset.rest).toBe('yes'))
  running = undefined
}

/** What every test leaves behind is taken away, and no script may have failed in it; see setup.ts. */
export async function cleared() {
  await leave()
  globalThis.fetch = real
  localStorage.clear()
  sessionStorage.clear()
  document.body.innerHTML = ''
  const said = faults
  faults = []
  expect(said).toEqual([])
}
export { fireEvent, screen, waitFor, within }
