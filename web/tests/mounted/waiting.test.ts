/**
 * A server that fails: nothing that somebody did is lost, and the screen never says that it is saved when it is not.
 */
import { expect, test } from 'vitest'
import { mount, opened, screen, waitFor, type Bench } from './bench'

const said = (status: number, message: string) =>
  new Response(JSON.stringify({ message }), { status, headers: { 'Content-Type': 'application/json' } })
const fails = (bench: Bench, answer: () => Response, what = '/edit') =>
  (bench.between = (path) => (path.endsWith(what) ? answer() : undefined))
const off = (bench: Bench, name: string) => bench.click(bench.button(`Switch ${name} off`))
const on = async (bench: Bench) => Object.fromEntries((await bench.saved()).layers.map((l) => [l.id, l.on]))
const edits = (bench: Bench) => bench.heard.filter((h) => h.path.endsWith('/edit') && h.status === 200).length

test('an edit answered with 500 stays, is said to be unsaved, and goes with the next', async () => {
  const bench = await opened()
  fails(bench, () => new Response('<h1>Server Error (500)</h1>', { status: 500 }))
  await off(bench, 'Dust')
  await screen.findByText('Not saved yet')
  screen.getByText(/is not saved yet/)
  bench.button('Switch Dust on')
  expect((await on(bench)).dust).toBe(true)
  bench.between = undefined
  await off(bench, 'Dirt')
  await screen.findByText(/Saved now/)
  expect(await on(bench)).toMatchObject({ dust: false, dirt: false })
})

test('a full disk is said in its words, and tried again on request', async () => {
  const bench = await opened()
  fails(bench, () => said(507, 'The disk of the server is full. Make room on it.'))
  await off(bench, 'Rust')
  await screen.findByText(/The disk of the server is full/)
  bench.between = undefined
  await bench.click(bench.button('Try now'))
  await screen.findByText(/Saved now/)
  expect((await on(bench)).rust).toBe(false)
})

test('a refusal stays to be read, and what is saved is shown again', async () => {
  const bench = await opened()
  fails(bench, () => said(422, 'scene: layers[0].strength: 7 is above the limit 1. Use a number up to 1.'))
  await off(bench, 'Dust')
  await screen.findByText(/above the limit/)
  bench.between = undefined
  await bench.rest()
  screen.getByText(/above the limit/)
  expect((await on(bench)).dust).toBe(true)
  bench.button('Switch Dust off')
})

test('undo takes back what waits and nothing else, and redo brings it back', async () => {
  const bench = await opened()
  await off(bench, 'Dust')
  fails(bench, () => new Response('', { status: 500 }))
  await off(bench, 'Dirt')
  await screen.findByText('Not saved yet')
  const saved = edits(bench)
  await bench.click(bench.button('Undo'))
  bench.button('Switch Dirt off')
  bench.between = undefined
  await waitFor(() => expect(screen.queryByText('Not saved yet')).toBeNull())
  await bench.rest()
  // The one that was saved stands, here and there; nothing was written or undone.
  expect(await on(bench)).toMatchObject({ dust: false, dirt: true })
  expect(edits(bench)).toBe(saved)
  bench.button('Switch Dust on')
  await bench.click(bench.button('Redo'))
  bench.button('Switch Dirt on')
  expect(await on(bench)).toMatchObject({ dust: false, dirt: false })
})

test('undo while the server is away is done when it is back', async () => {
  const bench = await opened()
  await off(bench, 'Dust')
  bench.between = (path) => {
    if (path.endsWith('/undo')) throw new TypeError('Failed to fetch')
    return undefined
  }
  await bench.click(bench.button('Undo'))
  await screen.findByText(/Undo is done as soon as the server answers/)
  expect((await on(bench)).dust).toBe(false)
  bench.between = undefined
  // The browser says that it is online again: nothing is waited for.
  window.dispatchEvent(new Event('online'))
  await waitFor(() => bench.button('Switch Dust off'))
  await bench.rest()
  expect((await on(bench)).dust).toBe(true)
})

test('edits that another window overtook are offered again, also after the page was loaded anew', async () => {
  const bench = await opened()
  await bench.elsewhere({ seed: 4712 })
  await off(bench, 'Dust')
  await screen.findByLabelText('Edits that were not saved')
  expect((await on(bench)).dust).toBe(true)
  await mount(bench, `/object/${bench.id}/weather`)
  await screen.findByLabelText('Edits that were not saved')
  await bench.click(bench.button(/^Make .* again$/))
  expect(screen.queryByLabelText('Edits that were not saved')).toBeNull()
  expect((await bench.saved()).seed).toBe(4712)
  expect((await on(bench)).dust).toBe(false)
})

test('a version that the server let go is asked about once more, with the whole document', async () => {
  const bench = await opened()
  const asked: string[] = []
  bench.between = (path, _, body) => {
    if (!path.endsWith('/evaluate')) return undefined
    asked.push('document' in JSON.parse(body) ? 'document' : 'version')
    return asked.length === 1 ? said(410, 'This version is gone.') : undefined
  }
  await off(bench, 'Dust')
  expect(asked.slice(0, 2)).toEqual(['version', 'document'])
  expect(document.body.textContent).not.toContain('This version is gone')
})

test('an older window never writes over a newer edit', async () => {
  const bench = await opened()
  // Another window sets the seed; this one, which has not heard of it, makes two edits before its first refusal is
  // back.
  await bench.elsewhere({ seed: 25 })
  let go = () => {}
  const gate = new Promise<void>((free) => (go = free))
  let sent = 0
  bench.between = async (path) => {
    if (path.endsWith('/edit')) {
      sent++
      await gate
    }
    return undefined
  }
  await bench.user.click(bench.button('Switch Dirt off'))
  await bench.user.click(bench.button('Switch Dust off'))
  await waitFor(() => expect(sent).toBe(1))
  go()
  await screen.findByText(/Overtaken by another window/)
  await bench.rest()
  // One edit was under way, the other waited for it and was not sent on a version it was not made on.
  expect(sent).toBe(1)
  expect((await bench.saved()).seed).toBe(25)
  await off(bench, 'Dust')
  expect((await bench.saved()).seed).toBe(25)
  expect((await on(bench)).dust).toBe(false)
})
