import { describe, expect, it } from 'vitest'
import { at, labelled, levelShare, span } from '../draw/sheet'
import { delivery, headroom } from './format'
import { identifier } from './kit'
import { channelChoices } from './settings'

describe('the frequency sheet is to scale', () => {
  it('gives equal frequency equal width', () => {
    expect(span(2402, 2422, 2400, 2500).width).toBeCloseTo(200)
    expect(span(2452, 2472, 2400, 2500).x).toBeCloseTo(520)
  })
  it('cuts at its edges', () => {
    expect(at(2300, 2400, 2500)).toBe(0)
    expect(at(2600, 2400, 2500)).toBe(1000)
  })
  it('leaves out numbers that would collide', () => {
    expect(labelled([2412, 2417, 2437], 2400, 2500, 60)).toEqual([true, false, true])
  })
})

describe('figures are never flattered', () => {
  it('puts the stronger level further', () => expect(levelShare(-40)).toBeGreaterThan(levelShare(-70)))
  it('does not round delivery up over a limit', () => expect(delivery(0.98999)).toBe('98.9\u00a0%'))
  it('does not round headroom up to enough', () => expect(headroom(0.999)).toBe('0.99×'))
})

describe('settings', () => {
  it('makes identifiers that differ', () =>
    expect(identifier('Attic désk', ['attic-desk'])).toBe('attic-desk-2'))
  it('keeps a present block that is no longer offered in sight', () => {
    const setting = {
      radio_id: 'r',
      channel: 14,
      width_mhz: 20 as const,
      eirp_dbm: 20,
      centre_mhz: null,
      enabled: true,
    }
    expect(channelChoices([], setting).options[0]?.channel).toBe(14)
  })
})
