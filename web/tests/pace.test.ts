import { describe, expect, test } from 'vitest'
import { paceOf } from '../src/stores/work/pace'

const SIZES = [128, 256, 512]
function ready() {
  const pace = paceOf(SIZES)
  pace.anew(1)
  for (let size; (size = pace.cold('story', 1024));) pace.warm(size)
  return pace
}

describe('the size of a step of a drag', () => {
  test('is the middle one at first, where that is ready', () => {
    expect(ready().size(1024)).toBe(256)
    const cold = paceOf(SIZES)
    cold.anew(1)
    cold.warm(128)
    expect(cold.size(1024)).toBe(128)
  })
  test('falls where a step takes long, and no lower than the smallest', () => {
    const pace = ready()
    pace.took(256, 300)
    expect(pace.size(1024)).toBe(128)
    pace.took(128, 900)
    expect(pace.size(1024)).toBe(128)
  })
  test('rises after a few quick ones, but never to what is not ready', () => {
    const pace = ready()
    for (const ms of [20, 20]) pace.took(256, ms)
    expect(pace.size(1024)).toBe(256)
    pace.took(256, 20)
    expect(pace.size(1024)).toBe(512)
    const partly = paceOf(SIZES)
    partly.anew(1)
    partly.warm(128)
    partly.warm(256)
    for (let k = 0; k < 9; k++) partly.took(256, 10)
    expect(partly.size(1024)).toBe(256)
  })
  test('one slow step ends a row of quick ones', () => {
    const pace = ready()
    for (const ms of [20, 20, 100, 20, 20]) pace.took(256, ms)
    expect(pace.size(1024)).toBe(256)
  })
  test('is never more than the view at rest has', () => {
    expect(ready().size(128)).toBe(128)
  })
  test('what is made ready follows the state of the chronicle and the object', () => {
    const pace = ready()
    expect(pace.cold('story', 1024)).toBeUndefined()
    expect(pace.cold('another', 1024)).toBe(128)
    expect(pace.cold('another', 100)).toBeUndefined()
    pace.anew(2)
    expect(pace.cold('another', 1024)).toBe(128)
  })
})
