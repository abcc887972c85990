import { expect, test } from 'vitest'
import { last, one, opened, screen, words, type Bench } from './bench'

/** What the layer is made of, by the server's account. */
interface SubstanceLayer {
  substance: { name: string; material: { kind: string; roughness: number }; flags: { family: string | null } } | null
  values: Record<string, { white: number | number[]; black: number | number[] | null }>
}
async function fresh(): Promise<{ bench: Bench; kept: () => Promise<SubstanceLayer> }> {
  const bench = await opened()
  await bench.press('a')
  await bench.click(one('[data-effect=substance]'))
  return { bench, kept: async () => (await bench.kept('substance')).effect as unknown as SubstanceLayer }
}
const give = (bench: Bench, channel: string) =>
  bench.pick(screen.getByRole('combobox', { name: 'Give a channel a value' }), 'option', channel)

test('a substance is found in the store room, set and laid', async () => {
  const { bench, kept } = await fresh()
  await bench.click(bench.button(/^Made of: Plain values/))
  await bench.user.type(await screen.findByRole('textbox', { name: 'Find a substance' }), 'gold')
  await bench.click(await screen.findByRole('button', { name: 'Gold' }))
  expect((await kept()).substance).toMatchObject({ name: 'Gold', material: { kind: 'sheet_metal' } })
  await bench.click(bench.button('Its settings'))
  await bench.type(one('[data-field=roughness] input', one('.inside')), '0.4')
  expect((await kept()).substance!.material.roughness).toBe(0.4)
  await bench.click(bench.button('How it wears'))
  await bench.pick(screen.getByRole('combobox', { name: 'Family of the substance' }), 'option', 'oxide')
  expect((await kept()).substance!.flags.family).toBe('oxide')
  await bench.press('{Control>}z{/Control}')
  expect((await kept()).substance!.flags.family).toBe('other metal')
})

test('values are one for all or a range along the recipe', async () => {
  const { bench, kept } = await fresh()
  await give(bench, 'Roughness')
  await bench.click(bench.button('Roughness: a range from black to white'))
  await bench.type(one('[data-field=values-roughness-white] input[type=text]'), '0.2')
  await bench.type(one('[data-field=values-roughness-black] input[type=text]'), '0.6')
  expect((await kept()).values).toEqual({ roughness: { white: 0.2, black: 0.6 } })
  await give(bench, 'Base color')
  await bench.type(last('[data-field=values-base_color-white] input[type=text]'), 'ffffff')
  expect((await kept()).values.base_color).toEqual({ white: [1, 1, 1], black: null })
  await bench.click(bench.button('Roughness: no value'))
  expect(Object.keys((await kept()).values)).toEqual(['base_color'])
})

test('only values: nothing is laid, and only their channels can be switched', async () => {
  const { bench, kept } = await fresh()
  const chips = () => [...document.querySelectorAll('.chips [data-channel]')].map(words)
  expect(chips()).toContain('Relief')
  await bench.click(bench.button(/^Made of: Plain values/))
  await bench.click(await screen.findByText(/Nothing: only the values below/))
  expect((await kept()).substance).toBeNull()
  expect(document.querySelector('[data-field=thickness_um]')).toBeNull()
  await screen.findByText(/It is made of nothing/)
  await give(bench, 'Roughness')
  expect(screen.queryByText(/It is made of nothing/)).toBeNull()
  expect(chips()).toEqual(['Roughness'])
})
