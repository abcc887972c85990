import { describe, expect, test } from 'vitest'
import { apply, changes, isNothing, put, same, type Change } from '../src/api/difference'
import { layer, sceneOf } from './scenes'

const copy = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T

describe('steps of the server', () => {
  test('set, drop and splice, anywhere', () => {
    const now = { a: { b: [1, 2, 3], c: 1 }, d: 2 }
    const steps: Change[] = [
      ['set', ['a', 'e'], { f: 1 }],
      ['drop', ['d']],
      ['splice', ['a', 'b'], 1, 1, [7, 8]],
      ['set', ['a', 'b', 0], 0],
    ]
    apply(now, steps)
    expect(now).toEqual({ a: { b: [0, 7, 8, 3], c: 1, e: { f: 1 } } })
  })
  test('what is put in place is its own', () => {
    const value = { x: 1 }
    const now: Record<string, unknown> = {}
    apply(now, [['set', ['a'], value]])
    ;(now.a as typeof value).x = 2
    expect(value.x).toBe(1)
  })
})

describe('what was set in a scene', () => {
  const before = sceneOf(layer('paint'), layer('rust'))
  test('is called by ids, and by numbers where there are none', () => {
    before.layers[1].where.terms = [{ low: 0, source: { kind: 'noise', size_mm: 3 } }] as never
    const after = copy(before)
    after.layers[1].name = 'Red rust'
    after.layers[1].where.terms[0].source.size_mm = 5
    after.setting.years = 20
    after.layers[0].channels.relief = { on: false } as never
    expect(changes(before, after)).toEqual({
      values: {
        'layers[rust].name': 'Red rust',
        'layers[rust].where.terms[0].source.size_mm': 5,
        'setting.years': 20,
        'layers[paint].channels.relief': { on: false },
      },
      drop: [],
    })
  })
  test('another kind of thing is put there whole, and what went is named', () => {
    const after = copy(before)
    after.layers[1].effect = { kind: 'moss', size_mm: 4 }
    delete (after.layers[0] as Record<string, unknown>).since
    expect(changes(before, after)).toEqual({
      values: { 'layers[rust].effect': { kind: 'moss', size_mm: 4 } },
      drop: ['layers[paint].since'],
    })
  })
  test('nothing is nothing', () => {
    expect(isNothing(changes(before, copy(before)))).toBe(true)
    expect(isNothing({ values: {}, drop: ['a'] })).toBe(false)
  })
  test('put back it makes the other out of the one', () => {
    const after = copy(before)
    after.layers[0].channels = { relief: { on: true } } as never
    after.layers[1].where.terms = []
    after.year = 3
    const now = copy(before)
    put(now, changes(before, after))
    expect(now).toEqual(after)
    put(now, changes(after, before))
    expect(now).toEqual(before)
  })
  test('what is not there any more is passed over', () => {
    const now = copy(before)
    put(now, {
      values: { 'layers[ghost].name': 'x', 'layers[rust].where.terms[9].low': 1 },
      drop: ['layers[ghost].id'],
    })
    expect(now).toEqual(before)
  })
})

test('documents are the same whatever the order of their fields', () => {
  expect(same({ a: 1, b: [1, { c: 2 }] }, { b: [1, { c: 2 }], a: 1 })).toBe(true)
  expect(same({ a: 1 }, { a: 1, b: undefined })).toBe(false)
  expect(same([1], { 0: 1 })).toBe(false)
})
