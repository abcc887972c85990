import { describe, expect, test } from 'vitest'
import type { FieldSchema } from '../src/api/scene'
import { setting, valuesOf, worded, type Axis } from '../src/stores/bracketAxis'
import { scaleOf } from '../src/figures/scale'

const axis = (field: FieldSchema, now: number, spread = 0.25): Axis => ({
  title: 'x',
  field,
  addresses: ['layers[a].effect.x'],
  now,
  middle: now,
  spread,
})
const even: FieldSchema = { minimum: 0, maximum: 1, soft: [0, 1], unit: '%' }
const factors: FieldSchema = { minimum: 0.1, maximum: 1000, soft: [1, 100], scale: 'log', unit: 'mm' }

describe('values on both sides', () => {
  test('evenly along the slider, the value itself in the middle with all its digits', () => {
    expect(valuesOf(axis(even, 0.5), 5)).toEqual([0.25, 0.375, 0.5, 0.625, 0.75])
    expect(valuesOf(axis(even, 0.512345), 3)[1]).toBe(0.512345)
    expect(valuesOf(axis(even, 0.5, 0.125), 3)).toEqual([0.375, 0.5, 0.625])
  })
  test('by factors where the slider goes by factors', () => {
    const [a, b, c] = valuesOf(axis(factors, 10), 3)
    expect([a, b, c]).toEqual([3.16, 10, 31.6])
  })
  test('at the end of the slider the other side is taken further', () => {
    expect(valuesOf(axis(even, 0), 5)).toEqual([0, 0.125, 0.25, 0.375, 0.5])
    expect(valuesOf(axis(even, 1), 3)).toEqual([0.5, 0.75, 1])
    expect(valuesOf(axis(even, 0.9), 9)).toHaveLength(9)
  })
  test('nothing beyond the limits, and nothing twice', () => {
    for (const now of [0, 0.03, 0.5, 0.97, 1])
      for (const spread of [1, 0.25, 0.01])
        for (const count of [3, 5, 9]) {
          const found = valuesOf(axis(even, now, spread), count)
          expect(Math.min(...found)).toBeGreaterThanOrEqual(0)
          expect(Math.max(...found)).toBeLessThanOrEqual(1)
          expect(new Set(found).size).toBe(found.length)
          expect(found).toContain(now)
          expect([...found].sort((a, b) => a - b)).toEqual(found)
        }
    const whole: FieldSchema = { type: 'integer', minimum: 1, maximum: 4, soft: [1, 4], step: 1 }
    expect(valuesOf(axis(whole, 2, 1), 9)).toEqual([1, 2, 3, 4])
  })
  test('seeds go on by ones', () => {
    expect(valuesOf(axis({ control: 'seed' }, 17), 5)).toEqual([15, 16, 17, 18, 19])
    expect(valuesOf(axis({ control: 'seed' }, 0), 3)).toEqual([0, 1, 2])
    expect(worded(axis({ control: 'seed' }, 17), 18)).toBe('pattern 18')
  })
  test('a value sets every line that is linked', () => {
    const both = { ...axis(even, 0.5), addresses: ['a', 'b'] }
    expect(setting(both, 0.2)).toEqual({ values: { a: 0.2, b: 0.2 }, drop: [] })
  })
})

describe('the scale of a slider', () => {
  test('there and back again', () => {
    for (const field of [even, factors, { soft: [-10, 30], step: 0.5 } as FieldSchema]) {
      const scale = scaleOf(field)
      const [a, b] = field.soft!
      for (const t of [0, 0.1, 0.5, 0.77, 1]) {
        const value = scale.value(t * scale.places)
        expect(value).toBeGreaterThanOrEqual(a)
        expect(value).toBeLessThanOrEqual(b)
        expect(Math.abs(scale.place(value) / scale.places - t)).toBeLessThan(0.5 / scale.places + 0.004)
      }
    }
  })
})
