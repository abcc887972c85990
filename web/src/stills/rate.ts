/** Pictures a second of a film. */
export const RATE = 25
