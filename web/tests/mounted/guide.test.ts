import { expect, test } from 'vitest'
import { one, opened, screen, waitFor, words, type Bench } from './bench'

const article = () => words(one('article'))
const search = async (bench: Bench, text: string) => {
  const field = screen.getByRole('textbox', { name: 'Search the guide' })
  await bench.user.clear(field)
  await bench.user.type(field, text)
}

test('the guide opens with the keys, is searched, and shows what a thing is for', async () => {
  const bench = await opened()
  await bench.press('?')
  expect(article()).toContain('Where the selected layer may be')
  await waitFor(() => one('[data-page="effect:rust"]'))
  await search(bench, 'iso 9224')
  const pages = () => [...document.querySelectorAll<HTMLElement>('[data-page]')].map((b) => b.dataset.page)
  expect(pages()).toContain('effect:rust')
  expect(pages()).not.toContain('effect:snow')
  await bench.click(one('[data-page="effect:rust"]'))
  expect(article()).toContain('Looks at')
  expect(article()).toContain('Acts on iron or steel')
  expect(document.querySelectorAll('article figure')).toHaveLength(6)
  expect(words(one('[data-guide-field=years]'))).toContain('years')
  await search(bench, 'qwertz')
  await screen.findByText('Nothing fits. Try another word.')
})

test('from where one works it opens at what is meant', async () => {
  const bench = await opened()
  await bench.select('dust')
  await bench.pick(bench.button('More for this layer'), 'menuitem', 'In the guide')
  await waitFor(() => expect(article()).toContain('Dust'))
  await bench.press('{Escape}')
  // The field that has the focus, where the pointer is on nothing.
  one('[data-field=thickness_um] input').focus()
  await bench.user.keyboard('{F1}')
  await waitFor(() => expect(words(one('tr.meant'))).toContain('Thickness'))
})

test('a recipe of the trade is put on the object from its page', async () => {
  const bench = await opened()
  const before = (await bench.saved()).layers.length
  await bench.press('?')
  await waitFor(() => one('[data-page="treatment:oxide-in-hollows"]'))
  await bench.click(one('[data-page="treatment:oxide-in-hollows"]'))
  await bench.click(bench.button('Put it on this object'))
  expect((await bench.saved()).layers).toHaveLength(before + 1)
  expect(document.querySelector('article')).toBeNull()
})
