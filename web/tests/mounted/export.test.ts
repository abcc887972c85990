import { expect, test } from 'vitest'
import { mount, one, opened, screen, SERVER, waitFor, words } from './bench'

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

test('a gutter in mm, and a mesh with masks in its vertices', async () => {
  const bench = await opened('export')
  let last: Record<string, unknown> = {}
  bench.between = (path, _, body) => {
    if (path.endsWith('/delivery')) last = JSON.parse(body) as typeof last
    return undefined
  }
  const target = () => screen.getByRole('combobox', { name: 'Target' })
  await bench.pick(target(), 'option', 'Maps')
  expect(last).not.toHaveProperty('gutter')
  await bench.click(screen.getByLabelText('Colors run on beyond the surface everywhere'))
  await waitFor(() => expect(last).toMatchObject({ gutter: 8 }))
  await bench.click(screen.getByRole('button', { name: 'mm' }))
  await bench.number(screen.getByLabelText('Gutter'), '2.5')
  await waitFor(() => expect(last).toMatchObject({ gutter_mm: 2.5 }))
  expect(last).not.toHaveProperty('gutter')

  await bench.pick(target(), 'option', 'Mesh with vertex data')
  await waitFor(() => expect(files()).toEqual(['gate-hoist.glb', 'scene.json']))
  expect(last).not.toHaveProperty('gutter_mm')
  await bench.click(screen.getByLabelText('The relief moves the vertices'))
  await bench.number(screen.getByLabelText('Longest edge, mm'), '40')
  await waitFor(() => expect(last).toMatchObject({ moved: true, edge_mm: 40 }))
  for (const name of ['Rust', 'Chipping', 'Dust', 'Dirt', 'Works green'])
    await bench.click(screen.getByLabelText(`${name}: where it acted`))
  await waitFor(() => expect(screen.getByRole('alert').textContent).toContain('4 masks'))
  await bench.click(screen.getByLabelText('Works green: where it acted'))
  expect(words(one('[data-testid=masks]'))).toContain('Green: chipping:acted; Blue: dust:acted; Alpha: dirt:acted')
  await waitFor(() => expect(bench.button('Export')).toHaveProperty('disabled', false))
  await bench.pick(screen.getByRole('combobox', { name: 'Resolution' }), 'option', /^256/ as never)
  await bench.click(bench.button('Export'))
  const link = await screen.findByTestId('download')
  const zip = new Uint8Array(
    await (await fetch(new Request(new URL(link.getAttribute('href')!, SERVER)))).arrayBuffer(),
  )
  expect(new TextDecoder('latin1').decode(zip)).toContain('COLOR_0')
})

test('snapshots go along as variants, in folders of their own', async () => {
  const bench = await opened('export')
  const off = (id: string, name: string, layers: string[]) => ({ id, name, layers_off: layers, episodes_off: [] })
  await bench.elsewhere({
    snapshots: [off('new', 'As made', ['rust', 'dust', 'dirt', 'chipping']), off('old', 'Worn', [])],
  })
  await mount(bench, `/object/${bench.id}/export`)
  let last: Record<string, unknown> = {}
  bench.between = (path, _, body) => {
    if (path.endsWith('/delivery')) last = JSON.parse(body) as typeof last
    return undefined
  }
  const names = (await bench.saved()).snapshots.map((one) => one.name)
  expect(names.length).toBeGreaterThan(1)
  await bench.pick(screen.getByRole('combobox', { name: 'Target' }), 'option', 'USD')
  await waitFor(() => expect(files()).toContain('gate-hoist_hoist_base-color.png'))
  for (const name of names.slice(0, 2)) await bench.click(screen.getByLabelText(name))
  await waitFor(() => expect(last).toMatchObject({ snapshots: names.slice(0, 2) }))
  await waitFor(() => expect(files().filter((file) => file.endsWith('_base-color.png'))).toHaveLength(2))
  expect(files().some((file) => file.startsWith('as-made/'))).toBe(true)
  // They are this object's own, and no other target takes them.
  expect(localStorage['limus.order']).not.toContain(names[0])
  await bench.pick(screen.getByRole('combobox', { name: 'Target' }), 'option', 'Maps')
  await waitFor(() => expect(last).toMatchObject({ target: 'maps' }))
  expect(last).not.toHaveProperty('snapshots')
})
