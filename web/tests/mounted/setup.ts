/** Run for each file: the application is loaded once for all of them, so what bench.ts says at its own head counts once. */
import { afterEach } from 'vitest'
import { cleared } from './bench'

afterEach(cleared)
