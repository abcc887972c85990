import { expect, test } from 'vitest'
import { one, opened, screen, waitFor, words, type Bench } from './bench'

const shown = () => words(one('.now'))
const shelf = async (bench: Bench) => {
  await bench.click(screen.getByRole('button', { name: /^Brush: / }))
  await screen.findByRole('dialog', { name: 'Brushes' })
}

test('a brush is taken from the shelf and keeps the size of the hand', async () => {
  const bench = await opened()
  await bench.select('dust')
  await bench.press('h')
  expect(shown()).toBe('Round')
  await bench.press('+++')
  const size = () => (screen.getByLabelText('Size') as HTMLInputElement).value
  const before = size()
  await shelf(bench)
  expect(document.querySelectorAll('.shelf .one').length).toBeGreaterThanOrEqual(6)
  await bench.click(await screen.findByRole('button', { name: 'Stamp' }))
  await waitFor(() => expect(shown()).toBe('Stamp'))
  expect(size()).toBe(before)
  expect(JSON.parse(localStorage['limus.brush'])).toMatchObject({ shape: 'square', spacing: 1.5 })
})

test('each mask is painted on with the brush it had the last time', async () => {
  const bench = await opened()
  await bench.select('dust')
  await bench.press('h')
  await shelf(bench)
  await bench.click(await screen.findByRole('button', { name: 'Chalk' }))
  await bench.press('{Escape}')
  await bench.select('rust')
  await bench.press('h')
  await shelf(bench)
  await bench.click(await screen.findByRole('button', { name: 'Line' }))
  await waitFor(() => expect(shown()).toBe('Line'))
  await bench.select('dust')
  await waitFor(() => expect(shown()).toBe('Chalk'))
  await bench.select('rust')
  await waitFor(() => expect(shown()).toBe('Line'))
})

test('a brush of one\u2019s own is kept by name and thrown away', async () => {
  const bench = await opened()
  await bench.select('dust')
  await bench.press('h')
  await shelf(bench)
  await bench.click(await screen.findByRole('button', { name: 'Spatter' }))
  await shelf(bench)
  await bench.user.type(screen.getByRole('textbox', { name: 'Name' }), 'Rain drops{Enter}')
  expect(JSON.parse(localStorage['limus.brushes'])[0]).toMatchObject({ title: 'Rain drops', settings: { scatter: 2 } })
  await bench.click(screen.getByRole('button', { name: 'Throw away the brush Rain drops' }))
  expect(JSON.parse(localStorage['limus.brushes'])).toEqual([])
})
