import { Color, SRGBColorSpace } from 'three'
import { describe, expect, test } from 'vitest'
import { fromHex, toHex } from '../src/controls/colour'
import { box, length, percent, readable } from '../src/figures/format'
import { since } from '../src/controls/since'

describe('colour of a picker', () => {
  test('is encoded as the drawing library encodes it', () => {
    for (const linear of [
      [0, 0, 0],
      [0.002, 0.0031, 0.004],
      [0.18, 0.5, 0.92],
      [1, 1, 1],
    ])
      // prettier-ignore
      expect(toHex(linear)).toBe(new Color(...linear).getHexString(SRGBColorSpace))
  })
  test('comes back the same, for every grey', () => {
    for (let k = 0; k < 256; k++) {
      const hex = k.toString(16).padStart(2, '0').repeat(3)
      expect(toHex(fromHex(hex)!)).toBe(hex)
    }
  })
  test('short, with a sign, with room about it, or not at all', () => {
    expect(fromHex(' #f80 ')).toEqual(fromHex('ff8800'))
    for (const wrong of ['', 'ff88', 'gg0000', '#1234567', 'red']) expect(fromHex(wrong)).toBeUndefined()
  })
  test('what is out of range is held', () => expect(toHex([-1, 7, 0])).toBe('00ff00'))
})

describe('numbers as they are read', () => {
  test('three digits, no zeros behind', () => {
    expect([1234.5, 99.94, 12.34, 1.005, 0.12345, 0, -3.456].map(readable)).toEqual(
      ['1235', '99.9', '12.3', '1', '0.123', '0', '-3.46'], // prettier-ignore
    )
  })
  test('a share that is there is never said to be nothing', () => {
    expect([0, 0.0001, 0.0123, 0.5, 1].map(percent)).toEqual(['0 %', '< 0.1 %', '1.2 %', '50 %', '100 %'])
  })
  test('lengths in the unit that suits them', () => {
    expect([0, 2e-6, 0.0042, 1.2, 3400].map(length)).toEqual(['0 mm', '2 µm', '4.2 mm', '1.2 m', '3.4 km'])
    expect(box([0.3, 0.18, 0.2])).toBe('300 × 180 × 200 mm')
    expect(box([12, 0.5, 3])).toBe('12 × 0.5 × 3 m')
  })
})

test('how long ago, by the calendar where it is days', () => {
  const now = new Date(2026, 2, 10, 0, 30)
  const ago = (...then: [number, number, number, number, number]) => since(new Date(...then).toISOString(), now)
  expect(ago(2026, 2, 10, 0, 30)).toBe('just now')
  expect(ago(2026, 2, 10, 0, 10)).toBe('20 min ago')
  // An hour and a half before half past midnight was yesterday.
  expect(ago(2026, 2, 9, 23, 0)).toBe('yesterday')
  expect(ago(2026, 2, 6, 12, 0)).toBe('4 days ago')
  expect(ago(2025, 0, 2, 12, 0)).toContain('2025')
})
