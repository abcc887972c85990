/** A server in a few lines: it keeps one object's scene, and fails where a test says so. Import `./api` before what talks to it. */
import type { Scene } from '../src/api/scene'

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
  get version() {
    return {
      version: this.at,
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
  private store(document: Scene) {
    this.saved.splice(this.at)
    this.at = this.saved.push(document)
  }
  private async answer(request: Request): Promise<Response> {
    const path = new URL(request.url).pathname
    const text = await request.text()
    const body = (text ? JSON.parse(text) : {}) as Asked['body']
    this.asked.push({ method: request.method, path, body })
    if (this.holds && path.endsWith(this.holds)) await new Promise<void>((free) => this.held.push(free))
    const fault = this.faults.shift()
    if (fault === 'none') throw new TypeError('Failed to fetch')
    const { status, body: said } = fault ?? this.right(request.method, path, body)
    if (this.astray > 0) {
      this.astray--
      throw new TypeError('Failed to fetch')
    }
    return new Response(JSON.stringify(said ?? {}), { status, headers: { 'Content-Type': 'application/json' } })
  }
  private right(method: string, path: string, body: Asked['body']): { status: number; body?: unknown } {
    if (path.endsWith('/scene')) {
      if (method === 'PUT') {
        if (body.base !== this.at)
          return { status: 409, body: { message: 'Changed in another window', scene: this.version } }
        this.store(body.document as Scene)
      }
      return { status: 200, body: this.version }
    }
    if (path.endsWith('/undo') || path.endsWith('/redo')) {
      if (body.base !== this.at)
        return { status: 409, body: { message: 'Changed in another window', scene: this.version } }
      this.at = Math.min(Math.max(this.at + (path.endsWith('/undo') ? -1 : 1), 1), this.saved.length)
      return { status: 200, body: this.version }
    }
    if (path.endsWith('/make-again')) {
      this.store(body.after as Scene)
      return { status: 200, body: this.version }
    }
    if (path.endsWith('/evaluate'))
      return { status: 200, body: { layers: [], coats: [], readings: 'good', ticket: body.ticket } }
    return { status: 404, body: { message: 'Not here' } }
  }
}
