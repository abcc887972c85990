import { api, messageOf, sendMapFile } from './client'
import type { Recognised } from './scene'

/** What is known while texture files are on their way. */
export interface Going {
  /** Share of the bytes that are sent. */
  sent(share: number, word: string): void
  /** All are there and are looked at. */
  looking(): void
}

/**
 * Send texture files and have them recognised as one set; nothing where it was called off meanwhile. `refused` says
 * which were not taken, and why.
 */
export async function recognisedFrom(
  project: number,
  files: File[],
  sizeCm: number,
  going: Going,
  signal: AbortSignal,
): Promise<{ found?: Recognised; refused: string[]; trouble: string } | undefined> {
  const kept: string[] = []
  const refused: string[] = []
  const total = files.reduce((sum, f) => sum + f.size, 0) || 1
  let sent = 0
  for (const [k, file] of files.entries()) {
    const word = files.length > 1 ? `${file.name} (${k + 1} of ${files.length})` : file.name
    going.sent(sent / total, word)
    try {
      const out = await sendMapFile(project, file, (bytes) => going.sent((sent + bytes) / total, word), signal)
      kept.push(...out.files.map((f) => f.file))
      refused.push(...out.refused)
    } catch (error) {
      if ((error as Error).name === 'AbortError') return undefined
      refused.push((error as Error).message)
    }
    sent += file.size
  }
  if (!kept.length) return { refused: [], trouble: refused[0] ?? 'None of these files can be read.' }
  going.looking()
  const { data, error } = await api.POST('/api/projects/{project_id}/recognise', {
    params: { path: { project_id: project } },
    body: { files: kept, name: '', size_cm: sizeCm },
  })
  if (signal.aborted) return undefined
  return data ? { found: data, refused, trouble: '' } : { refused, trouble: messageOf(error) }
}

/** The files of a recognised set in their roles, as documents have them. */
export const usesOf = (found: Recognised) =>
  found.uses.map(({ file, component, role, colour }) => ({ file, component, role, colour }))
