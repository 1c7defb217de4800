import { describe, expect, it } from 'vitest'
import { broughtUpToDate } from './reply'
import { blockKey, channelChoices, lawfulSteps, moveTo, namesText, widthChoices } from './settings'
import type { Job, RadioOptions, RadioSetting, Settings } from './types'

const block = (channel: number, width_mhz: number, centre_mhz: number, max_eirp_dbm = 23) =>
  ({
    channel,
    width_mhz,
    centre_mhz,
    max_eirp_dbm,
    dfs: false,
    indoor_only: false,
  }) as RadioOptions['blocks'][number]
const setting: RadioSetting = {
  radio_id: 'r',
  channel: 36,
  width_mhz: 80,
  centre_mhz: 5210,
  eirp_dbm: 23,
  enabled: true,
}

describe('a radio moved to another block', () => {
  it('keeps its power where that is lawful', () =>
    expect(moveTo(setting, block(52, 80, 5290), [20, 23])).toMatchObject({
      channel: 52,
      centre_mhz: 5290,
      eirp_dbm: 23,
    }))
  it('goes down to a lawful step, never up', () => {
    expect(moveTo(setting, block(52, 80, 5290, 20), [14, 20, 23]).eirp_dbm).toBe(20)
    expect(moveTo({ ...setting, eirp_dbm: 14 }, block(52, 80, 5290, 20), [14, 20, 23]).eirp_dbm).toBe(14)
  })
  it('offers lawful steps in order', () =>
    expect(lawfulSteps([23, 14, 20], block(36, 20, 5180, 20))).toEqual([14, 20]))
})

describe('what can be chosen', () => {
  const blocks = [
    block(36, 80, 5210),
    block(36, 20, 5180),
    block(1, 40, 2422),
    block(5, 40, 2422),
    block(5, 40, 2442),
  ]
  it('has the width of now, also where it is not offered', () => {
    expect(widthChoices(blocks, setting)).toEqual([20, 40, 80])
    expect(widthChoices([], { ...setting, width_mhz: 160 })).toEqual([160])
  })
  it('tells blocks with one channel apart by their centre', () => {
    const { options, present, twice } = channelChoices(blocks, {
      ...setting,
      channel: 5,
      width_mhz: 40,
      centre_mhz: 2442,
    })
    expect(present.centre_mhz).toBe(2442)
    expect([...twice]).toEqual([5])
    expect(new Set(options.map(blockKey)).size).toBe(options.length)
  })
  it('takes the only block of a channel where no centre is set', () =>
    expect(channelChoices(blocks, { ...setting, centre_mhz: null }).present.centre_mhz).toBe(5210))
})

describe('the SSID plan in words', () => {
  const plan = (more: Partial<Settings['ssid_plan']>) =>
    ({
      kind: 'one SSID',
      bands: [],
      device_network: [],
      high_band_from_dbm: null,
      ...more,
    }) as Settings['ssid_plan']
  it('says that nobody is steered', () =>
    expect(namesText(plan({}))).toBe('One SSID; steering off, devices choose for themselves'))
  it('says from which level devices are steered', () =>
    expect(namesText(plan({ high_band_from_dbm: -68 }))).toContain('steered up from −68 dBm'))
})

describe('a reply that holds only what differs', () => {
  const scan = (id: string, heard_at = '2026-03-01T10:00:00Z') => ({ id, heard_at })
  const job = { title: 'a', country: 'NL', scans: [scan('1'), scan('2')], traces: [] } as unknown as Job
  const reply = (more: object, entries: object = {}) =>
    ({ job: more, entries }) as unknown as Parameters<typeof broughtUpToDate>[1]
  it('leaves what it does not name', () =>
    expect(broughtUpToDate(job, reply({ title: 'b' }))).toEqual({ ...job, title: 'b' }))
  it('changes, adds and removes entries, in the order of the reply', () => {
    const changed = [scan('2', '2026-03-02T10:00:00Z'), scan('3')]
    const found = broughtUpToDate(job, reply({}, { scans: { order: ['3', '2'], changed } }))
    expect(found.scans).toEqual([scan('3'), scan('2', '2026-03-02T10:00:00Z')])
    expect(job.scans).toHaveLength(2)
  })
})
