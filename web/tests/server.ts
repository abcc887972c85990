/**
 * A server in a few lines: it keeps one object's scene, and fails where a test says so. Import `./api` before what
 * talks to it.
 */
import type { Scene } from '../src/api/scene'
import { put, type Values } from '../src/api/difference'

type Answer = { status: number; body?: unknown } | 'none'
export interface Asked {
  method: string
  path: string
  body: Record<string, unknown>
}

export class Server {
  asked: Asked[] = []
  saved: Scene[] = []
  /** What it answers next instead of what it should. */
  faults: Answer[] = []
  /** Requests to this path wait until `go` is called. */
  holds = ''
  /** So many answers are lost on the way back. */
  astray = 0
  /** Versions are numbered by their place in `saved`; undo moves this one back. */
  at = 1
  private held: (() => void)[] = []

  constructor(first: Scene) {
    this.saved = [first]
    globalThis.fetch = (async (request: Request) => this.answer(request)) as typeof fetch
  }
  go() {
    this.held.splice(0).forEach((free) => free())
  }
  /** Tokens of the edits that led to each version; "" where somebody else made it. */
  tokens: string[] = ['']
  get version() {
    return {
      version: this.at,
      token: this.tokens[this.at - 1],
      label: '',
      document: this.saved[this.at - 1],
      can_undo: this.at > 1,
      undo_label: '',
      can_redo: this.at < this.saved.length,
      redo_label: '',
    }
  }
  /** Somebody else's edit. */
  elsewhere(document: Scene) {
    this.store(document)
  }
  private store(document: Scene, token = '') {
    this.saved.splice(this.at)
    this.tokens.splice(this.at)
    this.at = this.saved.push(document)
    this.tokens.push(token)
  }
  /** The newest version by its difference: here always the whole. */
  private from(base: number, made: Record<string, unknown> = {}) {
    const { document, ...facts } = this.version
    const change = Object.entries(document).map(([field, value]) => ['set', [field], value])
    return { status: 200, body: { ...facts, base, change, made, notes: [] } }
  }
  /** What a command leaves; tests that need more than values say what. */
  does: Record<string, (now: Scene, given: Record<string, unknown>) => Record<string, unknown> | void> = {}
  private async answer(request: Request): Promise<Response> {
    const path = new URL(request.url).pathname
    const text = await request.text()
    const body = (text ? JSON.parse(text) : {}) as Asked['body']
    this.asked.push({ method: request.method, path, body })
    if (this.holds && path.endsWith(this.holds)) await new Promise<void>((free) => this.held.push(free))
    const fault = this.faults.shift()
    if (fault === 'none') throw new TypeError('Failed to fetch')
    const { status, body: said } = fault ?? this.right(path, body)
    if (this.astray > 0) {
      this.astray--
      throw new TypeError('Failed to fetch')
    }
    return new Response(JSON.stringify(said ?? {}), { status, headers: { 'Content-Type': 'application/json' } })
  }
  private right(path: string, body: Asked['body']): { status: number; body?: unknown } {
    if (path.endsWith('/edit')) {
      const token = String(body.token)
      const arrived = this.tokens.indexOf(token) + 1
      if (arrived && arrived === this.at) return this.from(this.at - 1)
      if (arrived || body.base !== this.at)
        return {
          status: 409,
          body: { message: 'Changed in another window', scene: this.version, arrived: !!arrived },
        }
      const now = JSON.parse(JSON.stringify(this.version.document)) as Scene
      const base = this.at
      let made = {}
      if (body.name === 'set') put(now, body.arguments as unknown as Values)
      else made = this.does[String(body.name)]!(now, body.arguments as Record<string, unknown>) ?? {}
      this.store(now, token)
      return this.from(base, made)
    }
    if (path.endsWith('/scene')) return { status: 200, body: this.version }
    if (path.endsWith('/undo') || path.endsWith('/redo')) {
      if (body.base !== this.at)
        return { status: 409, body: { message: 'Changed in another window', scene: this.version } }
      const base = this.at
      this.at = Math.min(Math.max(this.at + (path.endsWith('/undo') ? -1 : 1), 1), this.saved.length)
      return this.from(base)
    }
    if (path.endsWith('/evaluate'))
      return { status: 200, body: { layers: [], coats: [], readings: 'good', ticket: body.ticket } }
    return { status: 404, body: { message: 'Not here' } }
  }
}
