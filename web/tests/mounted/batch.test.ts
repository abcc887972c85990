import { expect, test } from 'vitest'
import { mount, one, opened, screen, SERVER, waitFor, within, words } from './bench'

test('a sheet says what each row will do, and the rows that can be done are', async () => {
  const bench = await opened('export')
  const { project } = (await (await fetch(new Request(`${SERVER}/api/objects/${bench.id}`))).json()) as {
    project: number
  }
  expect(project).toBeGreaterThan(0)
  // As the page was left: a project of a hundred objects would otherwise have a row for each.
  localStorage[`limus.batch.${project}`] = JSON.stringify([{ object: String(bench.id), target: 'maps' }])
  await mount(bench, `/project/${project}/batch`)
  const gives = (row: number) => words(one(`[data-row="${row}"] .will`))
  await waitFor(() => expect(gives(2)).toMatch(/\/$/))
  await bench.pick(screen.getByRole('combobox', { name: 'Size of row 2' }), 'option', '256')
  await bench.type(screen.getByRole('textbox', { name: 'Folder of row 2' }), 'first')
  await waitFor(() => expect(gives(2)).toBe('first/'))
  await bench.click(bench.button('Row'))
  const out = screen.getByRole('textbox', { name: 'Folder of row 3' })
  await bench.type(out, '../up')
  await waitFor(() => expect(gives(3)).toContain('no name of a folder within this one'))
  expect(screen.getByText(/1 of 2 rows cannot be done/)).toBeDefined()
  expect(out.classList.contains('p-invalid')).toBe(true)
  await bench.click(one('[data-testid=begin]'))
  const batch = within(one('[data-testid=batch]'))
  await waitFor(() => expect(batch.getByText('Row 2, done')).toBeDefined())
  expect(batch.getByText('Row 3, failed')).toBeDefined()
  expect(batch.getByRole('img', { name: 'first' }).getAttribute('src')).toMatch(/picture$/)
  expect(one('[data-testid=download]').getAttribute('href')).toMatch(/\/file$/)
  // It is there again after the page was left.
  await mount(bench, `/project/${project}/batch`)
  await waitFor(() => expect(gives(3)).toContain('no name of a folder'))
  expect(within(one('[data-testid=batch]')).getByText('Row 2, done')).toBeDefined()
})

test('a token is shown once, and ended', async () => {
  const bench = await opened('export')
  await mount(bench, `/object/${bench.id}/export`)
  await bench.click(screen.getByRole('link', { name: 'Limus, all projects' }))
  await bench.click(bench.button('Access for programs…'))
  const dialog = within(await screen.findByRole('dialog', { name: 'Access for programs' }))
  await bench.user.type(dialog.getByRole('textbox', { name: 'Name' }), 'Night run{Enter}')
  const token = await dialog.findByRole<HTMLInputElement>('textbox', { name: 'The token' })
  expect(token.value).toMatch(/^limus_.{40,}$/)
  const asked = await fetch(
    new Request(`${SERVER}/api/projects`, { headers: { Authorization: `Bearer ${token.value}` } }),
  )
  expect(asked.status).toBe(200)
  await bench.click(dialog.getByRole('button', { name: 'End Night run' }))
  await waitFor(() => expect(dialog.queryByText('Night run')).toBeNull())
  expect(dialog.queryByRole('textbox', { name: 'The token' })).toBeNull()
})
