import { expect, test } from 'vitest'
import { one, opened, screen, waitFor, words } from './bench'

const files = () => [...document.querySelectorAll('[data-testid=files] li')].map((li) => words(li))

test('an order is made, refused where it is wrong, looked at, kept and delivered', async () => {
  const bench = await opened('export')
  expect(files()).toContain('gate-hoist.glb')
  const target = () => screen.getByRole('combobox', { name: 'Target' })
  await bench.pick(target(), 'option', 'Maps')
  await waitFor(() => expect(files()).toContain('gate-hoist_hoist_base-color.png'))

  // A pattern: every file under its new name; what leaves the folder is said, and cannot be exported.
  const names = screen.getByRole('textbox', { name: 'Names of maps' })
  await bench.user.clear(names)
  await bench.user.type(names, 'maps/{{map}_{{size}')
  await waitFor(() => expect(files()).toContain('maps/base-color_2048.png'))
  await bench.user.clear(names)
  await bench.user.type(names, '../{{map}')
  await waitFor(() => expect(screen.getByRole('alert').textContent).toContain('leave the folder'))
  expect(bench.button('Export')).toHaveProperty('disabled', true)
  await bench.user.clear(names)
  await bench.user.type(names, 'm_')
  await bench.click(bench.button('map'))
  await waitFor(() => expect(files()).toContain('m_base-color.png'))

  // One map smaller than the others; the others stay.
  await bench.click(bench.button(/^Smaller maps/))
  await bench.pick(screen.getByRole('combobox', { name: 'Size of roughness' }), 'option', '512')
  expect(words(bench.button(/^Smaller maps/))).toMatch(/1 of \d+$/)
  await bench.pick(screen.getByRole('combobox', { name: 'Resolution' }), 'option', /^256/ as never)

  // A map is looked at with its numbers.
  await bench.user.click(bench.button('m_roughness.png'))
  const look = await screen.findByRole('dialog', { name: 'm_roughness.png' })
  await waitFor(() => expect(look.querySelector('img')?.src).toMatch(/^data:image\/png/))
  const [lowest, mean, highest] = [...look.querySelectorAll('tbody td')].map((cell) => Number(cell.textContent))
  expect(0 < lowest && lowest < mean && mean < highest && highest <= 1).toBe(true)

  // Kept under a name, and taken up again after something else.
  await bench.click(bench.button('Keep these settings'))
  await bench.user.type(screen.getByRole('textbox', { name: 'Name' }), 'For the archive{Enter}')
  await waitFor(() => expect(bench.button('For the archive')).toBeDefined())
  await bench.pick(target(), 'option', 'Packed maps')
  await waitFor(() => expect(files()).toContain('m_occlusion-roughness-metalness.png'))
  const line = screen.getByRole('textbox', { name: 'Packed map 2' })
  await bench.user.clear(line)
  await bench.user.type(line, 'orm=rufness')
  await waitFor(() => expect(screen.getByRole('alert').textContent).toContain("no map 'rufness'"))
  expect(line.getAttribute('aria-invalid') ?? String(line.classList.contains('p-invalid'))).toBe('true')
  await bench.click(bench.button('For the archive'))
  await waitFor(() => expect(files()).toContain('m_base-color.png'))

  // And delivered as it stands.
  await bench.click(bench.button('Export'))
  await waitFor(() => expect(one('[data-testid=download]').getAttribute('href')).toMatch(/\/file$/))
  await bench.click(bench.button('Forget For the archive'))
  await waitFor(() => expect(screen.queryByRole('button', { name: 'For the archive' })).toBeNull())
})
