import { expect, test } from 'vitest'
import { mount, one, opened, screen, SERVER, waitFor, words, type Bench } from './bench'

const setting = async (bench: Bench) => (await bench.saved()).setting as unknown as Record<string, number | null>
const tab = (bench: Bench, name: string) => bench.click(screen.getByRole('tab', { name }))
const switched = (bench: Bench, field: string) => bench.click(one('.p-toggleswitch input', bench.field(field)))

test('the setting is typed and dialled, and what hangs on it is measured again', async () => {
  const bench = await opened('object')
  await tab(bench, 'Setting')
  await bench.type(one('[data-field=wind_speed] input[type=text]'), '14')
  expect((await setting(bench)).wind_speed).toBe(14)
  const dial = screen.getAllByRole('slider', { name: 'Wind from' }).at(-1)!
  dial.focus()
  const before = (await setting(bench)).wind_from_deg
  await bench.press('{ArrowRight>4/}')
  expect((await setting(bench)).wind_from_deg).toBe(before! + 20)
  // A number that may be left out: on, and off.
  await switched(bench, 'day')
  expect((await setting(bench)).day).toBe(172)
  await switched(bench, 'day')
  expect((await setting(bench)).day).toBeNull()
  const jobs = () => bench.heard.filter((h) => h.method === 'POST' && h.path.endsWith('/jobs')).length
  const measured = jobs()
  await switched(bench, 'ground_hides')
  expect((await setting(bench)).ground_hides).toBe(false)
  // What is hidden has changed, so it is measured again by itself.
  expect(jobs()).toBe(measured + 1)
  expect(words(screen.getByTestId('quality'))).toContain('Good')
  await bench.click(bench.button('Undo'))
  expect((await setting(bench)).ground_hides).toBe(true)
})

test('a new layer is as old as the setting says', async () => {
  const bench = await opened('object')
  await tab(bench, 'Setting')
  await bench.type(one('[data-field=years] input[type=text]'), '33')
  await bench.click(screen.getByRole('link', { name: 'Weather' }))
  await bench.press('a')
  await bench.click(one('[data-effect=rust]'))
  expect((await bench.kept('rust-2')).effect).toMatchObject({ years: 33 })
})

test('the export lists what the core writes', async () => {
  const bench = await opened('export')
  await screen.findByText('gate-hoist.glb')
  await bench.pick(screen.getByRole('combobox', { name: 'Target' }), 'option', 'Maps')
  await screen.findByText('maps.json')
  const files = [...document.querySelectorAll('aside li')].map(words)
  expect(files.some((name) => name.startsWith('scene.json'))).toBe(true)
  expect(files.some((name) => /_base-color\.png/.test(name))).toBe(true)
})

test('masks go along with an export', async () => {
  const bench = await opened('export')
  await screen.findByText('gate-hoist.glb')
  const files = () => [...document.querySelectorAll('aside li')].map(words)
  const box = (name: string) => screen.getByRole('checkbox', { name })
  await bench.click(await screen.findByRole('checkbox', { name: 'Rust: where it may be' }))
  await screen.findByText('masks.json')
  expect(files()).toContain('gate-hoist_hoist_mask-rust.png')
  expect(screen.queryByRole('group', { name: 'How masks are packed' })).toBeNull()
  await bench.click(box('Chipping: where it acted'))
  await bench.click(screen.getByRole('button', { name: 'Rust' }))
  await bench.click(screen.getByRole('checkbox', { name: /^Rust: Line 1/ }))
  await waitFor(() => expect(files().filter((name) => name.includes('_mask-')).length).toBe(3))
  await bench.click(bench.button('Four in R, G, B, A'))
  await waitFor(() => expect(files().filter((name) => name.includes('_mask-')).length).toBe(1))
  let asked = ''
  bench.between = (path, method, body) => {
    if (method !== 'POST' || !path.endsWith('/jobs')) return undefined
    asked = body
    return new Response(JSON.stringify({ message: 'No room just now' }), {
      status: 507,
      headers: { 'Content-Type': 'application/json' },
    })
  }
  await bench.click(screen.getByTestId('export'))
  expect(JSON.parse(asked)).toMatchObject({ order: { masks: ['rust', 'chipping:acted', 'rust:1'], packed: true } })
  expect(words(screen.getByRole('alert'))).toContain('No room just now')
})

test('a newer model that a program brought is looked at, or left', async () => {
  const bench = await opened('object')
  const head = { 'X-CSRFToken': /csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? '' }
  const json = { ...head, 'Content-Type': 'application/json' }
  const ask = async <T>(method: string, path: string, body?: BodyInit, headers: Record<string, string> = json) =>
    (await (await fetch(new Request(`${SERVER}/api${path}`, { method, body, headers }))).json()) as T
  const { project } = await ask<{ project: number }>('GET', `/objects/${bench.id}`)
  async function offer() {
    const body = JSON.stringify({ purpose: 'replace', object: bench.id, offer: true })
    const { id } = await ask<{ id: number }>('POST', `/projects/${project}/intakes`, body)
    // One triangle, as a file of four lines (Wavefront OBJ).
    const model = 'v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n'
    await ask('PUT', `/intakes/${id}/files?name=newer.obj`, model, { ...head, 'Content-Type': 'text/plain' })
    await ask('POST', `/intakes/${id}/check`)
    await mount(bench, `/object/${bench.id}/object`)
    await screen.findByRole('status', { name: 'A newer model' })
  }
  await offer()
  await bench.click(bench.button('Leave it'))
  await waitFor(() => expect(screen.queryByRole('status', { name: 'A newer model' })).toBeNull())
  expect(await ask('GET', `/objects/${bench.id}/offered`)).toEqual({ model: null, pictures: [] })
  await offer()
  await bench.click(bench.button('Look at it'))
  const dialog = await screen.findByRole('dialog', { name: /^Replace/ })
  await waitFor(() => expect(words(dialog)).toContain('1 part, 1 triangle'))
  expect(screen.queryByRole('status', { name: 'A newer model' })).toBeNull()
})

test('a newer picture that a program brought is taken by one edit that can be undone, or left', async () => {
  const bench = await opened('object')
  const head = { 'X-CSRFToken': /csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? '' }
  const bytes = (base64: string) => Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))
  // Two by two pixels of red, and of blue (PNG).
  const red = bytes(
    'iVBORw0KGgoAAAANSUhEUgAAAAIAAAACCAIAAAD91JpzAAAAFklEQVR4nGM8oaHBwMDAxMDAwMDAAAAN6gEcJJUQNAAAAABJRU5ErkJggg==',
  )
  const blue = bytes(
    'iVBORw0KGgoAAAANSUhEUgAAAAIAAAACCAIAAAD91JpzAAAAFklEQVR4nGPU0DjBwMDAxMDAwMDAAAAMqgEc/t5RmQAAAABJRU5ErkJggg==',
  )
  const put = async <T>(path: string, body: BodyInit) => {
    const headers = { ...head, 'Content-Type': 'application/octet-stream' }
    return (await (await fetch(new Request(`${SERVER}/api${path}`, { method: 'PUT', body, headers }))).json()) as T
  }
  const { project } = (await (await fetch(new Request(`${SERVER}/api/objects/${bench.id}`))).json()) as {
    project: number
  }
  const kept = await put<{ files: { file: string }[] }>(`/projects/${project}/texture-files?name=wall.png`, red)
  const was = kept.files[0].file
  const [line] = (await bench.kept('dust')).where.terms
  await bench.elsewhere({ 'layers[dust].where.terms': [{ ...line, source: { kind: 'picture', file: was } }] })
  async function offer() {
    await put(`/projects/${project}/offered-pictures?name=wall.png`, blue)
    await mount(bench, `/object/${bench.id}/weather`)
    const bar = await screen.findByRole('status', { name: 'A newer wall.png' })
    expect(words(bar)).toContain('2 x 2 as before; 100% of it looks different')
  }
  const named = async () => ((await bench.kept('dust')).where.terms[0].source as unknown as { file: string }).file
  await offer()
  await bench.click(bench.button('Leave it'))
  expect(screen.queryByRole('status', { name: 'A newer wall.png' })).toBeNull()
  expect(await named()).toBe(was)
  await offer()
  await bench.click(bench.button('Take it'))
  expect(screen.queryByRole('status', { name: 'A newer wall.png' })).toBeNull()
  expect(await named()).not.toBe(was)
  await bench.press('{Control>}z{/Control}')
  expect(await named()).toBe(was)
})
