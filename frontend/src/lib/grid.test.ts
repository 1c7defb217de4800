import { describe, expect, it } from 'vitest'
import { pasted } from './grid'

describe('a pasted table', () => {
  it('is rows by line and columns by tab, as spreadsheets write it', () => {
    expect(pasted('25\t0.5\r\n6\t6\r\n')).toEqual([
      ['25', '0.5'],
      ['6', '6'],
    ])
    expect(pasted('4\n5\n6')).toEqual([['4'], ['5'], ['6']])
    expect(pasted('4\t')).toEqual([['4', '']])
  })
  it('is none where one value was copied', () => {
    expect(pasted('25')).toBeNull()
    expect(pasted('25\n')).toBeNull()
  })
})
