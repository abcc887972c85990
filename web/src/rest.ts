/**
 * Whether the page is at rest: nothing is asked of the server, nothing is planned, and the last change is drawn. It
 * stands in `data-rest` of the document, for whoever waits for the page to be done (tests, and tools that take
 * pictures).
 */
const under = new Map<symbol, string>()
// Counts what began and what came to an end, so that an end that something followed is not told as rest.
let turn = 0

function tell() {
  const root = globalThis.document?.documentElement
  if (!root) return
  const mine = ++turn
  if (under.size) root.dataset.rest = `no: ${[...new Set(under.values())].join(', ')}`
  // What was just answered is put on the screen first, and that may ask for more.
  else requestAnimationFrame(() => setTimeout(() => mine === turn && (root.dataset.rest = 'yes')))
}

/** Something began; call what comes back when it is over. `what` says it to whoever waits too long. */
export function begun(what: string): () => void {
  const mark = Symbol(what)
  under.set(mark, what)
  tell()
  return () => {
    if (under.delete(mark)) tell()
  }
}

/** The page is not at rest until this is settled. */
export async function during<T>(what: string, work: Promise<T>): Promise<T> {
  const over = begun(what)
  try {
    return await work
  } finally {
    over()
  }
}

/** Something that is done after a while, unless it is called off or planned anew. */
export class Plan {
  private timer: ReturnType<typeof setTimeout> | undefined
  private over: (() => void) | undefined
  constructor(private what: string) {}

  after(ms: number, act: () => void) {
    this.off()
    this.over = begun(this.what)
    this.timer = setTimeout(() => {
      // What is carried out may plan the next.
      const { over } = this
      this.over = undefined
      act()
      over?.()
    }, ms)
  }
  off() {
    clearTimeout(this.timer)
    this.over?.()
    this.over = undefined
  }
}
tell()
