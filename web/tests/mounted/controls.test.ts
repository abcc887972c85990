import { expect, test } from 'vitest'
import { last, one, opened, screen, waitFor, words } from './bench'

const openLine = () => one('.term.open')

test('a colour is typed as it is written, and nonsense is put back', async () => {
  const bench = await opened()
  await bench.select('paint')
  const field = last('[data-field=color] input[type=text]') as HTMLInputElement
  await bench.type(field, 'a02020')
  const { color } = (await bench.kept('paint')).effect as unknown as { color: number[] }
  // IEC 61966-2-1: a0 is 0.3515 linear.
  expect(color[0]).toBeCloseTo(0.3515, 3)
  await bench.type(field, 'no colour')
  expect(field.value).toBe('a02020')
})

test('a switch hides what does not apply', async () => {
  const bench = await opened()
  await bench.select('paint')
  bench.field('primer_color')
  await bench.click(one('.p-toggleswitch input', bench.field('primer')))
  expect((await bench.kept('paint')).effect).toMatchObject({ primer: false })
  expect(document.querySelector('[data-field=primer_color]')).toBeNull()
})

test('parts are chosen from a list', async () => {
  const bench = await opened()
  await bench.select('paint')
  await bench.click(one('.term .words'))
  await bench.pick(one('[data-field=names] .p-multiselect'), 'option', 'handle')
  const [line] = (await bench.kept('paint')).where.terms
  expect((line.source as unknown as { names: string[] }).names).toContain('handle')
})

test('arrow keys move a slider, and it is saved when they rest', async () => {
  const bench = await opened()
  await bench.select('dust')
  const handle = one('[data-field=strength] [role=slider]')
  handle.focus()
  await bench.user.keyboard('{ArrowLeft>5/}')
  await bench.rest()
  expect((await bench.kept('dust')).strength).toBeLessThan(0.8)
  expect(handle.getAttribute('aria-valuetext')).toContain('%')
  // Five presses are one edit.
  expect(bench.heard.filter((h) => h.path.endsWith('/edit'))).toHaveLength(1)
})

test('a recipe is cut by a level or by a coverage', async () => {
  const bench = await opened()
  await bench.select('dirt')
  await bench.click(one('.cut .p-toggleswitch input'))
  await bench.type(one('[data-field=coverage] input'), '30')
  expect((await bench.kept('dirt')).where.cut).toMatchObject({ coverage: 0.3 })
  expect(document.querySelector('[data-field=level]')).toBeNull()
})

test('lines are muted, moved and duplicated', async () => {
  const bench = await opened()
  await bench.select('dust')
  await bench.click(document.querySelectorAll('.term .words')[1])
  await bench.click(bench.button('Mute', openLine()))
  expect((await bench.kept('dust')).where.terms[1].muted).toBe(true)
  expect(words(openLine())).toContain('muted')
  await bench.pick(bench.button('More for this line', openLine()), 'menuitem', 'Earlier')
  const kinds = async () => (await bench.kept('dust')).where.terms.map((t) => t.source.kind)
  expect(await kinds()).toEqual(['sky', 'slope', 'noise'])
  await bench.click(bench.button('Duplicate line', openLine()))
  expect(await kinds()).toHaveLength(4)
  await bench.press('{Control>}z{/Control}')
  expect(await kinds()).toHaveLength(3)
})

test('a line is added, inverted, looked through and removed', async () => {
  const bench = await opened()
  await bench.select('dust')
  expect(words(one('.term'))).toContain('where it faces up')
  await bench.pick(bench.button(/^Add a line/), 'menuitem', 'Exposed')
  expect(words(last('.term'))).toContain('where the bare base shows')
  const covers = () => words(one('[data-testid=coverage]', bench.layer('dust')))
  const low = covers()
  await bench.click(bench.button('Invert', openLine()))
  expect(covers()).not.toBe(low)
  expect((await bench.kept('dust')).where.terms[3].invert).toBe(true)
  await bench.click(one('.thumb', openLine()))
  expect(words(screen.getByTestId('view-label'))).toContain('Dust: line 4')
  await bench.click(bench.button('Remove line', openLine()))
  expect((await bench.kept('dust')).where.terms).toHaveLength(3)
  expect(words(screen.getByTestId('view-label'))).toContain('Lit')
})

test('amount and blend of a channel', async () => {
  const bench = await opened()
  await bench.select('dirt')
  await bench.click(bench.button('Base color: amount and blend'))
  await bench.type(one('[data-field=channel-amount] input'), '40')
  await bench.pick(one('.details .p-select [role=combobox]'), 'option', 'multiply')
  expect((await bench.kept('dirt')).channels.base_color).toMatchObject({ amount: 0.4, blend: 'multiply' })
  expect(words(one('.chips'))).toContain('40 %, multiply')
})

test('typed values with their units, limits and defaults', async () => {
  const bench = await opened()
  await bench.select('chipping')
  const field = one('[data-field=size_mm] input') as HTMLInputElement
  const size = async () => ((await bench.kept('chipping')).effect as unknown as { size_mm: number }).size_mm
  expect(field.value).toBe('6 mm')
  await bench.type(field, '12')
  expect(await size()).toBe(12)
  await bench.type(field, '9000')
  await screen.findByText('Use 0.2 mm to 200 mm.')
  expect(field.value).toBe('12 mm')
  await bench.click(one('.tick', bench.field('size_mm')))
  expect(await size()).toBe(6.7)
  await bench.pick(one('[data-field=by] [role=combobox]'), 'option', 'flaking grade')
  bench.field('grade')
  expect(document.querySelector('[data-field=coverage]')).toBeNull()
  expect(words(one('[data-testid=coverage]', bench.layer('chipping')))).toContain('2.')
})

test('what an exposed line may look at: families first, then coats that lie there', async () => {
  const bench = await opened()
  await bench.select('dust')
  await bench.pick(bench.button(/^Add a line/), 'menuitem', 'Exposed')
  await bench.user.click(one('[data-field=what] [role=combobox]', openLine()))
  const options = (await screen.findAllByRole('option')).map(words)
  for (const wanted of ['the bare base', 'iron or steel', 'copper alloy', 'Works green: primer', 'zinc (none here)'])
    expect(options).toContain(wanted)
  await bench.click(screen.getByRole('option', { name: 'Works green: primer' }))
  const line = (await bench.kept('dust')).where.terms.at(-1)!
  expect((line.source as unknown as { what: string }).what).toBe('paint/primer')
})

test('a layer that others ask for is not removed', async () => {
  const bench = await opened()
  await bench.select('dust')
  await bench.pick(bench.button(/^Add a line/), 'menuitem', 'Exposed')
  await bench.pick(one('[data-field=what] [role=combobox]', openLine()), 'option', 'Rust')
  bench.layer('rust').focus()
  await bench.press('{Delete}')
  await screen.findByText(/Dust has a line that looks at this layer/)
  expect(bench.order()).toContain('rust')
  expect((await bench.saved()).layers).toHaveLength(5)
})

test('a tip comes when the pointer rests on a field, follows what it says, and goes', async () => {
  const bench = await opened()
  await bench.select('dust')
  const label = one('[data-field=strength] label')
  expect(document.querySelector('.p-tooltip')).toBeNull()
  await bench.user.hover(label)
  expect(words(await waitFor(() => one('.p-tooltip')))).toContain('The whole layer, weaker')
  await bench.user.unhover(label)
  await waitFor(() => expect(document.querySelector('.p-tooltip')).toBeNull())
  const through = () => bench.button('Look through the whole mask')
  await bench.user.hover(through())
  expect(words(await waitFor(() => one('.p-tooltip')))).toContain('Look through the whole mask')
  await bench.user.unhover(through())
  await bench.click(through())
  await bench.user.unhover(through())
  await bench.user.hover(through())
  expect(words(await waitFor(() => one('.p-tooltip')))).toContain('Back to the surface')
})

test('a number steps by arrow keys, finely with Shift, and keeps its digits', async () => {
  const bench = await opened()
  await bench.select('dust')
  const field = one('[data-field=strength] input') as HTMLInputElement
  await bench.type(field, '50')
  field.focus()
  await bench.user.keyboard('{ArrowDown}')
  await bench.rest()
  expect((await bench.kept('dust')).strength).toBeCloseTo(0.49, 6)
  await bench.user.keyboard('{Shift>}{ArrowUp}{/Shift}')
  await bench.rest()
  expect((await bench.kept('dust')).strength).toBeCloseTo(0.491, 6)
  expect(field.value).toContain('49.1')
  const edits = bench.heard.filter((h) => h.path.endsWith('/edit')).length
  field.blur()
  await bench.rest()
  // Leaving the field is no edit.
  expect(bench.heard.filter((h) => h.path.endsWith('/edit'))).toHaveLength(edits)
  const handle = one('[data-field=strength] [role=slider]')
  handle.focus()
  await bench.user.keyboard('{Shift>}{ArrowLeft}{/Shift}')
  await bench.rest()
  expect((await bench.kept('dust')).strength).toBeCloseTo(0.4909, 6)
})

test('arrow keys go on from a value beyond the range of the slider', async () => {
  const bench = await opened()
  await bench.select('dust')
  await bench.type(one('[data-field=thickness_um] input'), '120')
  const thick = async () => ((await bench.kept('dust')).effect as unknown as { thickness_um: number }).thickness_um
  expect(await thick()).toBe(120)
  one('[data-field=thickness_um] [role=slider]').focus()
  // A thousandth of the range, which goes to 80.
  await bench.press('{ArrowRight}')
  expect(await thick()).toBeCloseTo(120.08, 6)
  await bench.press('{ArrowLeft}{ArrowLeft}')
  expect(await thick()).toBeCloseTo(119.92, 6)
})

test('keys turn the light', async () => {
  const bench = await opened()
  const light = () => Number(screen.getByLabelText('Direction of the light').getAttribute('aria-valuenow'))
  const before = light()
  await bench.press(']')
  expect(light()).toBe(before + 15)
  await bench.press('[[')
  await bench.press('[[')
  expect(light()).toBe(before - 15)
})
