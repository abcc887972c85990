import { expect, test } from 'vitest'
import { one, opened, screen, words, type Bench } from './bench'

const label = () => words(screen.getByTestId('view-label'))
const switched = (bench: Bench, name: string, to: string) => bench.click(bench.button(`Switch ${name} ${to}`))

test('a layer is renamed, moved, duplicated and removed', async () => {
  const bench = await opened()
  await bench.select('rust')
  await bench.click(one('.sheet .title'))
  await bench.type(screen.getByLabelText('Name of the layer'), 'Ten winters')
  expect((await bench.kept('rust')).name).toBe('Ten winters')
  expect(words(bench.layer('rust'))).toContain('Ten winters')

  bench.layer('rust').focus()
  await bench.press('{Alt>}{ArrowRight}{/Alt}')
  expect(bench.order()).toEqual(['paint', 'chipping', 'dirt', 'rust', 'dust'])
  expect((await bench.saved()).layers.map((l) => l.id)).toEqual(bench.order())

  await bench.select('chipping')
  await bench.pick(bench.button('More for this layer'), 'menuitem', 'Duplicate')
  expect(bench.order()).toEqual(['paint', 'chipping', 'chipping-2', 'dirt', 'rust', 'dust'])
  bench.layer('chipping-2').focus()
  await bench.press('{Delete}')
  expect((await bench.saved()).layers.map((l) => l.id)).toEqual(['paint', 'chipping', 'dirt', 'rust', 'dust'])
})

test('a layer that does nothing says why', async () => {
  const bench = await opened()
  await switched(bench, 'Works green', 'off')
  await bench.select('chipping')
  expect(words(one('.sheet .note'))).toContain('There is no paint to chip')
})

test('a channel is switched off and on again', async () => {
  const bench = await opened()
  await bench.select('paint')
  await bench.click(one('[data-channel=base_color]'))
  expect((await bench.kept('paint')).channels.base_color).toMatchObject({ on: false })
  await bench.click(one('[data-channel=base_color]'))
  expect((await bench.kept('paint')).channels).toEqual({})
})

test('what is looked through is said, with a legend, and stays when it is pinned', async () => {
  const bench = await opened()
  for (const [look, title] of [
    ['relief', 'Relief'],
    ['curvature', 'Curvature at 4.4 mm'],
    ['sky', 'Sky'],
  ]) {
    await bench.click(one(`[data-look=${look}]`))
    expect(label()).toContain(title)
    screen.getByLabelText('Legend')
  }
  await bench.click(screen.getByText(/topcoat/))
  expect(label()).toContain('Works green: topcoat')
  await bench.press('p')
  screen.getByText('pinned')
  await bench.press(',')
  expect(label()).toContain('topcoat')
})

test('a key shows where a layer may be, where it acted, and the card counts what is shown', async () => {
  const bench = await opened()
  await bench.select('chipping')
  const card = () => words(one('[data-testid=coverage]', bench.layer('chipping')))
  const acted = card()
  await bench.press('m')
  expect(label()).toContain('Mask of Chipping')
  const placed = card()
  expect(placed).not.toBe(acted)
  expect(bench.layer('chipping').getAttribute('aria-label')).toContain(`placed on ${placed}`)
  await bench.press('m')
  expect(label()).toContain('Where Chipping acted')
  expect(card()).toBe(acted)
  // Another layer is looked at in the same way.
  await bench.press('.')
  expect(label()).toContain('Where Rust acted')
  await bench.press('m')
  expect(label()).toContain('Lit')
})

test('a line looks at where an earlier layer acted, and at none that comes later', async () => {
  const bench = await opened()
  await bench.select('rust')
  await bench.pick(bench.button(/^Add a line/), 'menuitem', 'Where a layer acted')
  const line = (await bench.kept('rust')).where.terms.at(-1)!
  expect(line.source).toMatchObject({ kind: 'acted', layer: '', how: 'acted' })
  await bench.user.click(one('[data-field=layer] [role=combobox]', one('.term.open')))
  const names = (await screen.findAllByRole('option')).map(words)
  expect(names).toEqual(['Works green', 'Chipping'])
  await bench.click(screen.getByRole('option', { name: 'Chipping' }))
  expect((await bench.kept('rust')).where.terms.at(-1)!.source).toMatchObject({ layer: 'chipping' })
})

test('a new layer has sizes that fit the object, and what is there keeps its own', async () => {
  const bench = await opened()
  await bench.user.click(screen.getByTestId('add-layer'))
  await bench.click(one('[data-effect=chipping]'))
  const made = (await bench.kept('chipping-2')) as never as {
    effect: { size_mm: number }
    where: { terms: { source: { radius_mm: number } }[] }
  }
  // The hoist is 1.2 m across: 6 mm at one metre, growing with the power 0.6.
  expect(made.effect.size_mm).toBe(6.7)
  expect(made.where.terms[0].source.radius_mm).toBe(4.6)
  expect((await bench.kept('chipping')).effect).toMatchObject({ size_mm: 6 })
})

test('effects are found by what they do, and laid on by Enter', async () => {
  const bench = await opened()
  await bench.press('a')
  const search = await screen.findByLabelText('Search effects')
  await bench.user.type(search, 'corrodes')
  expect(document.querySelectorAll('[data-effect]')).toHaveLength(1)
  await bench.user.clear(search)
  await bench.user.type(search, 'confetti')
  await screen.findByText(/Nothing of that name/)
  await bench.user.clear(search)
  await bench.type(search, 'dust')
  expect(bench.order().at(-1)).toBe('dust-2')
  expect((await bench.saved()).layers.at(-1)!.id).toBe('dust-2')
})

test('the list of keys opens and closes', async () => {
  const bench = await opened()
  await bench.press('?')
  await screen.findByRole('dialog', { name: 'Guide' })
  await bench.press('{Escape}')
  expect(screen.queryByRole('dialog')).toBeNull()
})

test('quick edits are all saved, each on the one before', async () => {
  const bench = await opened()
  for (const name of ['Chipping', 'Rust', 'Dirt', 'Dust']) await bench.user.click(bench.button(`Switch ${name} off`))
  await bench.rest()
  expect((await bench.saved()).layers.map((l) => l.on)).toEqual([true, false, false, false, false])
})

test('the rows of a family of channels fold into one, and open when one of them is looked through', async () => {
  const bench = await opened()
  const rows = () => document.querySelectorAll('[data-look]').length
  const folded = rows()
  const head = one('[data-family]')
  expect(head.getAttribute('aria-expanded')).toBe('false')
  await bench.click(head)
  expect(head.getAttribute('aria-expanded')).toBe('true')
  expect(rows()).toBeGreaterThan(folded)
  await bench.click(head)
  expect(rows()).toBe(folded)
})
