import { describe, expect, it } from 'vitest'
import { dbm, delivery, headroom, mbps, percent, plural, when } from './format'
import { blockKey, lawfulSteps, moveTo, widthChoices } from './settings'
import type { RadioOptions, RadioSetting } from './types'

const block = (channel: number, width_mhz: number, max_eirp_dbm: number): RadioOptions['blocks'][number] => ({
  channel,
  width_mhz,
  centre_mhz: 5000 + 5 * channel,
  max_eirp_dbm,
  dfs: false,
  indoor_only: false,
})
const setting: RadioSetting = {
  radio_id: 'hall-5',
  channel: 36,
  width_mhz: 80,
  eirp_dbm: 23,
  centre_mhz: 5210,
  enabled: true,
}

describe('settings stay lawful while they are tried', () => {
  it('lowers the power to a step that the law allows on the new block', () => {
    expect(moveTo(setting, block(52, 20, 20), [14, 20, 23])).toMatchObject({
      channel: 52,
      width_mhz: 20,
      eirp_dbm: 20,
    })
  })
  it('keeps a power that is allowed', () => {
    expect(moveTo(setting, block(100, 20, 27), [14, 20, 23]).eirp_dbm).toBe(23)
  })
  it('offers only lawful steps', () => expect(lawfulSteps([23, 14, 20], block(52, 20, 20))).toEqual([14, 20]))
  it('keeps the present width in sight', () => {
    expect(widthChoices([block(36, 20, 23), block(36, 40, 23)], setting)).toEqual([20, 40, 80])
  })
  it('tells blocks apart that share channel and width', () => {
    expect(blockKey({ channel: 6, width_mhz: 40, centre_mhz: 2427 })).not.toBe(
      blockKey({ channel: 6, width_mhz: 40, centre_mhz: 2447 }),
    )
  })
})

describe('figures as text', () => {
  it('uses a real minus sign', () => expect(dbm(-48.2)).toBe('−48\u00a0dBm'))
  it('shows nothing for nothing', () => {
    expect([dbm(null), percent(undefined), delivery(null), headroom(null), when(null)]).toEqual(
      Array(5).fill('–'),
    )
  })
  it('caps headroom where the core does', () =>
    expect([headroom(1.999), headroom(12.7)]).toEqual(['1.99×', '12×']))
  it('gives small rates a digit', () =>
    expect([mbps(2), mbps(312.4)]).toEqual(['2.0\u00a0Mb/s', '312\u00a0Mb/s']))
  it('counts in words', () =>
    expect([plural(1, 'change'), plural(2, 'change')]).toEqual(['1 change', '2 changes']))
  it('shows the house clock, not the one of this computer', () => {
    expect(when('2026-03-02T19:20:00+01:00')).toContain('19:20')
    expect(when('2026-03-02T19:20:00-08:00')).toContain('19:20')
  })
})
