/**
 * Milliseconds that a step of a drag may take before a coarser one is asked for, and under which a finer one is tried.
 */
const SLOW = 140
const QUICK = 55

/**
 * At which size this machine can follow a hand: measured while something is dragged, and never larger than what is
 * ready.
 */
export function paceOf(sizes: number[]) {
  let now = Math.min(1, sizes.length - 1)
  let quick = 0
  let of = 0
  let known = ''
  /** Sizes at which the chronicle was played already. */
  let ready = new Set<number>()
  return {
    /** Another object: nothing of it is ready. */
    anew(object: number) {
      if (object === of) return
      of = object
      known = ''
      ready = new Set()
    },
    /** The size for the next step; `most` is that of the view at rest. */
    size(most: number) {
      const fits = sizes.filter((size) => size <= sizes[now] && (ready.has(size) || !ready.size))
      return Math.min(fits.at(-1) ?? sizes[0], most)
    },
    /** A step at this size took so many milliseconds. */
    took(size: number, ms: number) {
      ready.add(size)
      if (size !== sizes[now]) return
      if (ms > SLOW && now > 0) {
        now--
        quick = 0
      } else if (ms < QUICK) {
        // A few in a row, and only to where nothing has to be played from its beginning.
        quick++
        if (quick >= 3 && now < sizes.length - 1 && ready.has(sizes[now + 1])) {
          now++
          quick = 0
        }
      } else quick = 0
    },
    warm(size: number) {
      ready.add(size)
    },
    /** The smallest size at which this state of the chronicle was not made ready yet, up to `most`. */
    cold(state: string, most: number): number | undefined {
      if (state !== known) {
        known = state
        ready = new Set()
      }
      return sizes.find((size) => size <= most && !ready.has(size))
    },
  }
}
