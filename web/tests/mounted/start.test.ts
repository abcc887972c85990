import { expect, test } from 'vitest'
import { mount, one, opened, screen, words, type Bench } from './bench'

const start = (bench: Bench) => bench.click(screen.getByLabelText('Limus, all projects'))
const open = (bench: { id: number }) => one(`main.start a[href^="/object/${bench.id}"]`)

test('a project is started, and opens with a place to drop a file', async () => {
  const bench = await opened()
  await start(bench)
  screen.getByRole('heading', { name: /Kestrel Weir gatehouse/ })
  const name = `Second bench ${bench.id}`
  await bench.user.type(screen.getByLabelText('Name of a new project'), name)
  await bench.click(bench.button('Start a project'))
  await screen.findByText(/^Drop a/)
  await bench.press('{Escape}')
  screen.getByRole('heading', { name: new RegExp(name) })
  await bench.click(bench.button(`Remove the project ${name}`))
  await bench.click(bench.button('Keep'))
  screen.getByRole('heading', { name: new RegExp(name) })
  await bench.click(bench.button(`Remove the project ${name}`))
  await bench.click(bench.button('Remove'))
  expect(screen.queryByRole('heading', { name: new RegExp(name) })).toBeNull()
})

test('objects are found by their names, and by that of their project', async () => {
  const bench = await opened()
  await start(bench)
  const cards = () => document.querySelectorAll('main.start li a').length
  const all = cards()
  expect(words(open(bench))).toContain('17 parts · 5 layers')
  const find = screen.getByLabelText('Find an object')
  await bench.user.type(find, 'gate hoist weir')
  expect(cards()).toBe(all)
  await bench.user.clear(find)
  await bench.user.type(find, 'nothing like it')
  await screen.findByText(/Nothing is called that/)
  expect(cards()).toBe(0)
})

test('an object is removed only after asking, and its address says so afterwards', async () => {
  const bench = await opened()
  await start(bench)
  const remove = () => one('button[aria-label^="Remove"]', open(bench).closest('li')!)
  await bench.click(remove())
  await bench.click(bench.button('Keep'))
  open(bench)
  await bench.click(remove())
  await bench.click(bench.button('Remove', screen.getByRole('alertdialog')))
  expect(document.querySelector(`main.start a[href^="/object/${bench.id}"]`)).toBeNull()
  await mount(bench, `/object/${bench.id}/weather`)
  await screen.findByText(/This object does not exist any more/)
})
