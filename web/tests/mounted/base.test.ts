import { expect, test } from 'vitest'
import { one, opened, screen, waitFor, words, type Bench } from './bench'

const base = () => opened('base')
const bases = async (bench: Bench) => (await bench.saved()).bases
const find = async (bench: Bench, text: string, kind: string) => {
  await bench.user.clear(screen.getByRole('textbox', { name: 'Find a base' }))
  await bench.user.type(screen.getByRole('textbox', { name: 'Find a base' }), text)
  await waitFor(() => one(`[data-stock="${kind}"]`))
  await bench.rest()
}
const tab = (bench: Bench, name: string) => bench.click(screen.getByRole('tab', { name }))

test('one value for a channel, another channel, and what it is for the core', async () => {
  const bench = await base()
  await tab(bench, 'Channels')
  await bench.click(one('[data-channel=roughness] .head'))
  await bench.click(bench.button('One value', one('[data-channel=roughness]')))
  await bench.type(one('[data-field=value-roughness] input'), '22')
  expect((await bases(bench))[0].levels.roughness.value).toEqual([0.22])
  await bench.pick(screen.getByRole('combobox', { name: 'Set another channel' }), 'option', 'Fuzz')
  expect((await bases(bench))[0].levels).toHaveProperty('fuzz_weight')
  await bench.click(bench.button('As it comes', one('[data-channel=fuzz_weight]')))
  expect((await bases(bench))[0].levels).not.toHaveProperty('fuzz_weight')
  await tab(bench, 'Flags')
  await bench.pick(screen.getByRole('combobox', { name: 'Family of the substance' }), 'option', 'zinc')
  expect((await bases(bench))[0].flags.family).toBe('zinc')
})

test('a base lies over another by a mask', async () => {
  const bench = await base()
  await find(bench, 'canvas', 'canvas')
  await bench.pick(bench.button('More for Canvas'), 'menuitem', 'Lay over by a mask')
  const share = Number.parseFloat(words(one("[data-base='3'] .share")))
  expect(share).toBeGreaterThan(2)
  expect(share).toBeLessThan(98)
  const lie = [...document.querySelectorAll('[data-base] .two .muted')].map(words)
  expect(lie.every((said) => said.length > 2)).toBe(true)
  expect(lie.at(-1)).toBe('by a mask')
  await tab(bench, 'Placing')
  await bench.click(bench.button('Remove line'))
  expect((await bases(bench))[3].where!.terms).toEqual([])
})

test('the store room keeps favourites and bases of one’s own', async () => {
  const bench = await base()
  await bench.click(bench.button('Make Brass a favourite'))
  await screen.findByRole('button', { name: 'Brass is a favourite' })
  const which = () => screen.getByRole('combobox', { name: 'Which bases' })
  await bench.pick(which(), 'option', 'Favourites')
  await waitFor(() => expect(document.querySelectorAll('[data-stock]')).toHaveLength(1))
  await bench.click(bench.button('Brass is a favourite'))
  await screen.findByText(/No favourites yet/)
  await bench.pick(bench.button('More for this base'), 'menuitem', 'Rename')
  await bench.type(screen.getByRole('textbox', { name: 'Name of the base' }), 'Old casting')
  await bench.pick(bench.button('More for this base'), 'menuitem', 'Put into the store room')
  await bench.pick(which(), 'option', 'My own')
  await screen.findByLabelText('Use Old casting')
  await bench.pick(bench.button('More for Old casting'), 'menuitem', 'Take out of the store room')
  await screen.findByText(/Nothing of your own yet/)
})

test('a store room that fails says so, and is asked again on request', async () => {
  const bench = await opened('weather')
  let fails = true
  bench.between = (path) =>
    fails && path === '/api/store-room'
      ? new Response(JSON.stringify({ message: 'The store room does not answer.' }), {
          status: 503,
          headers: { 'Content-Type': 'application/json' },
        })
      : undefined
  await bench.click(screen.getByRole('link', { name: 'Base' }))
  await screen.findByText(/The store room does not answer\./)
  fails = false
  await bench.click(bench.button('Try again'))
  await waitFor(() => one('[data-stock]'))
})
