import { describe, expect, it } from 'vitest'
import { canKeep, press, shownText, valuesOf, type LevelUnit } from './levels'

const typed = (digits: string, unit: LevelUnit) => [...digits].reduce((so, d) => press(so, d, unit), '')

describe('levels typed in a row', () => {
  it('parts dBm of two and three digits', () => {
    expect(typed('525448', 'dBm')).toBe('52 54 48')
    expect(typed('10252', 'dBm')).toBe('102 52')
    expect(valuesOf('52 102', 'dBm')).toEqual([-52, -102])
  })
  it('parts percentages, a hundred among them', () => {
    expect(typed('807510064', '%')).toBe('80 75 100 64')
    expect(valuesOf('80 100', '%')).toEqual([80, 100])
  })
  it('takes every digit as so many bars', () => expect(typed('432', 'bars')).toBe('4 3 2'))
})

describe('what can be kept', () => {
  it('is no level that is still being typed', () => {
    expect(canKeep('', 'dBm')).toBe(false)
    expect(canKeep('52 5', 'dBm')).toBe(false)
    expect(canKeep('52 54', 'dBm')).toBe(true)
  })
  it('is a percentage up to a hundred, and one to four bars', () => {
    expect(canKeep('100', '%')).toBe(true)
    expect(canKeep('109', '%')).toBe(false)
    expect(canKeep('4 1', 'bars')).toBe(true)
    expect(canKeep('5', 'bars')).toBe(false)
    expect(canKeep('0', 'bars')).toBe(false)
  })
})

it('shows what was typed in its unit', () => {
  expect(shownText('52 54', 'dBm')).toBe('−52  −54')
  expect(shownText('80', '%')).toBe('80 %')
  expect(shownText('3', 'bars')).toBe('3 of 4')
})
