import { describe, expect, it } from 'vitest'
import { canKeep, press, shownText, valuesOf, type LevelUnit } from './levels'

const UNITS: Record<string, LevelUnit> = {
  dBm: { unit: 'dBm', least: 10, most: 120 },
  '%': { unit: '%', least: 0, most: 100 },
  bars: { unit: 'bars', least: 1, most: 4 },
}
const typed = (digits: string, unit: LevelUnit) => [...digits].reduce((so, d) => press(so, d, unit), '')

describe('levels typed in a row', () => {
  it('parts dBm of two and three digits', () => {
    expect(typed('525448', UNITS['dBm']!)).toBe('52 54 48')
    expect(typed('10252', UNITS['dBm']!)).toBe('102 52')
    expect(valuesOf('52 102', UNITS['dBm']!)).toEqual([-52, -102])
  })
  it('parts percentages, a hundred among them', () => {
    expect(typed('807510064', UNITS['%']!)).toBe('80 75 100 64')
    expect(valuesOf('80 100', UNITS['%']!)).toEqual([80, 100])
  })
  it('takes every digit as so many bars', () => expect(typed('432', UNITS['bars']!)).toBe('4 3 2'))
})

describe('what can be kept', () => {
  it('is no level that is still being typed', () => {
    expect(canKeep('', UNITS['dBm']!)).toBe(false)
    expect(canKeep('52 5', UNITS['dBm']!)).toBe(false)
    expect(canKeep('52 54', UNITS['dBm']!)).toBe(true)
  })
  it('is a percentage up to a hundred, and one to four bars', () => {
    expect(canKeep('100', UNITS['%']!)).toBe(true)
    expect(canKeep('109', UNITS['%']!)).toBe(false)
    expect(canKeep('4 1', UNITS['bars']!)).toBe(true)
    expect(canKeep('5', UNITS['bars']!)).toBe(false)
    expect(canKeep('0', UNITS['bars']!)).toBe(false)
  })
})

it('shows what was typed in its unit', () => {
  expect(shownText('52 54', UNITS['dBm']!)).toBe('−52  −54')
  expect(shownText('80', UNITS['%']!)).toBe('80 %')
  expect(shownText('3', UNITS['bars']!)).toBe('3 of 4')
})
