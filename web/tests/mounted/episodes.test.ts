/** Episodes, years and snapshots of the demo's whole story. */
import { expect, test } from 'vitest'
import { last, one, opened, screen, words, type Bench } from './bench'

const whole = () => opened('weather', 'whole')
async function episode(bench: Bench, id: string) {
  await bench.click(one(`[data-episode=${id}]`))
  return screen.getByLabelText('Selected episode')
}
const more = (bench: Bench, name: string) => bench.pick(bench.button('More for this episode'), 'menuitem', name)

test('an episode is renamed, switched off and placed', async () => {
  const bench = await whole()
  await episode(bench, 'used')
  await bench.type(screen.getByLabelText('Name of the episode'), 'Years of use')
  const kept = async () => (await bench.saved()).episodes[1]
  expect((await kept()).name).toBe('Years of use')
  await bench.click(one('#episode-on'))
  expect((await kept()).on).toBe(false)
  await bench.press('{Control>}z{/Control}')
  expect((await kept()).on).toBe(true)
  await bench.pick(bench.button(/^Add a line/), 'menuitem', 'Noise')
  expect((await kept()).where.terms[0].source.kind).toBe('noise')
})

test('an episode folds to one card and back', async () => {
  const bench = await whole()
  await episode(bench, 'used')
  await more(bench, 'Fold to one card')
  const card = one('[data-episode-card=used]')
  expect(words(card)).toContain('4 layers')
  await bench.click(bench.button('Unfold', card))
  expect(document.querySelector('[data-episode-card]')).toBeNull()
})

test('an episode is moved and duplicated as one', async () => {
  const bench = await whole()
  await episode(bench, 'used')
  await more(bench, 'Earlier')
  expect((await bench.saved()).layers.slice(0, 4).map((l) => l.episode)).toEqual(Array(4).fill('used'))
  await more(bench, 'Duplicate')
  const scene = await bench.saved()
  expect([scene.episodes.length, scene.layers.length]).toEqual([4, 18])
})

test('an episode is dissolved, and its layers stay', async () => {
  const bench = await whole()
  await episode(bench, 'used')
  await more(bench, 'Dissolve, keep the layers')
  const scene = await bench.saved()
  expect([scene.episodes.length, scene.layers.length]).toEqual([2, 14])
})

test('an episode is split before a layer of it', async () => {
  const bench = await whole()
  const before = await bench.saved()
  const inside = before.layers.filter((l) => l.episode === 'used')
  await bench.select(inside[2].id)
  await bench.pick(bench.button('More for this layer'), 'menuitem', 'Split the episode here')
  const after = await bench.saved()
  expect(after.episodes).toHaveLength(before.episodes.length + 1)
  expect(after.layers.map((l) => l.id)).toEqual(before.layers.map((l) => l.id))
  const where = inside.map((l) => after.layers.find((one) => one.id === l.id)!.episode)
  expect(where.slice(0, 2)).toEqual(['used', 'used'])
  expect(where[2]).not.toBe('used')
  expect(new Set(where.slice(2)).size).toBe(1)
})

test('the years are dialled, and what comes later is dim', async () => {
  const bench = await whole()
  await bench.click(screen.getByTestId('by-years'))
  const dial = one('.hair')
  expect(dial.getAttribute('aria-label')).toBe('Year')
  dial.focus()
  await bench.press('{ArrowLeft}')
  expect((await bench.saved()).year).toBeCloseTo(9.5)
  expect(words(screen.getByTestId('view-label'))).toContain('after 9.5 years')
  dial.focus()
  await bench.press('{Home}')
  expect((await bench.saved()).year).toBe(0)
  // Dust began in the eighth year.
  expect(bench.layer('dust').className).toContain('later')
  await bench.click(screen.getByText(/^\s*Today, /))
  expect((await bench.saved()).year).toBeNull()
  await bench.select('rust')
  await bench.click(one('#held'))
  expect((await bench.kept('rust')).fixed).toBe(true)
})

test('snapshots bring states back, and one step of undo is one state', async () => {
  const bench = await opened()
  const on = async () => (await bench.kept('dust')).on
  const names = async () => (await bench.saved()).snapshots.map((s) => s.name)
  await bench.click(screen.getByTestId('snapshots'))
  await bench.user.type(await screen.findByLabelText('Name of the snapshot'), 'Dusty')
  await bench.click(bench.button('Keep'))
  expect(await names()).toEqual(['Dusty'])
  await bench.select('dust')
  await bench.click(one('#layer-on'))
  expect(one('[data-snapshot=Dusty]').getAttribute('aria-pressed')).toBe('false')
  await bench.click(screen.getByTestId('snapshots'))
  await bench.type(await screen.findByLabelText('Name of the snapshot'), 'Clean')
  await bench.click(one('[data-snapshot=Dusty]'))
  expect(await on()).toBe(true)
  await bench.click(one('[data-snapshot=Clean]'))
  expect(await on()).toBe(false)
  await bench.press('{Control>}z{/Control}')
  expect(await on()).toBe(true)
  await bench.click(screen.getByTestId('snapshots'))
  await bench.click(await screen.findByRole('button', { name: 'Remove Clean' }))
  expect(await names()).toEqual(['Dusty'])
  expect(last('[data-snapshot]').dataset.snapshot).toBe('Dusty')
})
