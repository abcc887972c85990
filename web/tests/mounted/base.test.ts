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
  await bench.click(one('.term .words'))
  await bench.click(bench.button('Remove line'))
  expect((await bases(bench))[3].where!.terms).toEqual([])
})

test('a base is painted on: its mask is empty, and the brush is in the hand', async () => {
  const bench = await base()
  await find(bench, 'canvas', 'canvas')
  await bench.pick(bench.button('More for Canvas'), 'menuitem', 'Paint it on')
  expect((await bases(bench))[3].where!.terms.map((t) => t.source.kind)).toEqual(['strokes'])
  expect(words(one('[data-testid=brush-bar]'))).toContain('Mask of Canvas')
  expect(Number.parseFloat(words(one("[data-base='3'] .share")) || '0')).toBeLessThan(0.1)
})

test('the mask of a base is edited like that of a layer', async () => {
  const bench = await base()
  await find(bench, 'canvas', 'canvas')
  await bench.pick(bench.button('More for Canvas'), 'menuitem', 'Lay over by a mask')
  await tab(bench, 'Placing')
  const where = () => one('[data-testid=where]')
  // The mask as a whole, with the share that is white and how it is spread.
  const share = Number.parseFloat(words(one('.whole b', where())))
  expect(share).toBeGreaterThan(5)
  expect(one('.whole svg, .whole .bars, .whole i', where())).toBeTruthy()
  await bench.click(bench.button('Look through the whole mask'))
  expect(words(one('[data-testid=view-label]'))).toContain('Mask of Canvas')
  await bench.press('m')
  expect(words(one('[data-testid=view-label]'))).toContain('Lit')
  await bench.click(bench.button('Look through this line'))
  expect(words(one('[data-testid=view-label]'))).toContain('Canvas: line 1')
  await bench.press('l')
  // Sources drawn by hand are there, those that look back are not.
  await bench.click(bench.button(/^Add a line/))
  const offered = (await screen.findAllByRole('menuitem')).map(words)
  expect(offered).toContain('Painted by hand')
  for (const later of ['Mask of a layer', 'Exposed', 'Where a layer acted']) expect(offered).not.toContain(later)
  await bench.click(await screen.findByRole('menuitem', { name: 'Hollows' }))
  // Solo, a coverage of its own, and a cut.
  await bench.click(bench.button('Solo', one('.term.open')))
  await bench.click(bench.button(/Curve, edge and coverage/))
  await bench.click(one('[data-field=cover] .p-toggleswitch input'))
  await bench.click(one('.cut .p-toggleswitch input'))
  const kept = (await bases(bench))[3].where!
  expect(kept.terms[1]).toMatchObject({ solo: true, source: { kind: 'hollows' } })
  expect(kept.terms[1].cover).toBeGreaterThan(0)
  expect(kept.cut).toBeTruthy()
  // A line goes to a layer, linked: both say so.
  await bench.click(bench.button('More for this line'))
  await bench.user.hover(await screen.findByText('Link to'))
  await bench.click(screen.getByText('Link to'))
  await bench.click((await screen.findAllByText('Rust')).at(-1)!)
  expect((await bench.kept('rust')).where.terms.at(-1)!.link).toBe((await bases(bench))[3].where!.terms[1].link)
  await screen.findByText(/One line with Rust/)
  // The brush takes the mask of this base; without one it says what to do.
  await bench.press('h')
  expect(words(one('[data-testid=brush-bar]'))).toContain('Mask of Canvas')
  await bench.press('{Escape}')
  await bench.click(one("[data-base='0']"))
  await bench.press('h')
  await screen.findByText(/Choose a base that lies over the others by a mask/)
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
