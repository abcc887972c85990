import { expect, test } from 'vitest'
import { SETUPS } from '../src/view3d/lights'
import skies from './skies.json'

test('every sky is that of the core, which makes stills without a browser (tests/core/test_still.py)', () => {
  const known = skies as unknown as Record<string, [number, number, number, number, number][]>
  expect(SETUPS.map((one) => one.id)).toEqual(Object.keys(known))
  for (const { id, sky } of SETUPS)
    for (const [azimuth, elevation, ...wanted] of known[id])
      sky(azimuth, elevation).forEach((value, k) =>
        expect(value, `${id} at ${azimuth}, ${elevation}`).toBeCloseTo(wanted[k], 4),
      )
})
