import { afterEach, describe, expect, it } from 'vitest'
import { dbm, fixed, fromHouseClock, headroom, mbps, prose, reader, when } from './format'

const AMSTERDAM = 'Europe/Amsterdam'

describe('the clock of the house', () => {
  it.each([
    ['2026-03-02T17:30:00Z', '2 Mar 2026, 18:30'],
    ['2026-03-02T18:30:00+01:00', '2 Mar 2026, 18:30'],
    ['2026-07-02T16:30:00Z', '2 Jul 2026, 18:30'],
    ['2026-07-02T11:30:00-05:00', '2 Jul 2026, 18:30'],
  ])('shows %s as %s, wherever the screen is', (iso, shown) => expect(when(iso, AMSTERDAM)).toBe(shown))

  it('shows a time of no known house as it was written down', () =>
    expect(when('2026-03-02T18:30:00+09:00', null)).toBe('2 Mar 2026, 18:30'))

  // Summer time in Amsterdam 2026: from 29 March, 01:00 UTC, to 25 October, 01:00 UTC.
  it.each([
    ['2026-03-28T09:30', '2026-03-28T09:30:00+01:00'],
    ['2026-03-29T01:59', '2026-03-29T01:59:00+01:00'],
    ['2026-03-29T03:00', '2026-03-29T03:00:00+02:00'],
    ['2026-10-25T12:00', '2026-10-25T12:00:00+01:00'],
    ['2026-10-24T12:00', '2026-10-24T12:00:00+02:00'],
  ])('writes %s as %s', (local, iso) => {
    expect(fromHouseClock(local, AMSTERDAM)).toBe(iso)
    expect(when(iso, AMSTERDAM).slice(-5)).toBe(local.slice(-5))
  })

  it.each(['America/St_Johns', 'Asia/Kathmandu', 'Pacific/Auckland', 'UTC'])(
    'goes both ways in %s',
    (zone) => {
      for (let day = 1; day < 366; day += 7) {
        const local = new Date(Date.UTC(2026, 0, day, 14, 45)).toISOString().slice(0, 16)
        expect(when(fromHouseClock(local, zone), zone).slice(-5)).toBe('14:45')
      }
    },
  )
})

describe('numbers and dates as the reader writes them', () => {
  afterEach(() => (reader.language = 'en-GB'))
  it('in English have a point, elsewhere a comma, and the same signs everywhere', () => {
    const shown = () => [
      mbps(1.25),
      headroom(0.999),
      dbm(-61.5),
      fixed(-0.2),
      fixed(1142.25, 1),
      fixed(undefined, 1),
    ]
    expect(shown()).toEqual(['1.3\u00a0Mb/s', '0.99×', '−62\u00a0dBm', '0', '1142.3', '–'])
    reader.language = 'de-DE'
    expect(shown()).toEqual(['1,3\u00a0Mb/s', '0,99×', '−62\u00a0dBm', '0', '1142,3', '–'])
    reader.language = 'sv-SE'
    expect(dbm(-61)).toBe('−61\u00a0dBm')
    reader.language = 'ar-EG'
    expect(fixed(12)).toBe('12')
  })
  it('in the core’s sentences too, where standards and names keep their point', () => {
    reader.language = 'nl-NL'
    expect(prose('0.8 of each second at 2.4 GHz, -3.5 dB; 802.11ax on hall-2.4, 10.0.0.1')).toBe(
      '0,8 of each second at 2.4\u00a0GHz, −3,5\u00a0dB; 802.11ax on hall-2.4, 10.0.0.1',
    )
  })
  it('days in them have their month, times with an offset and what is no day stay', () => {
    const text =
      'solved on 2026-12-05; read 2026-11-28 19:30, 2026-02-30T10:00:00Z, run-2026-01-02, 2026-13-40'
    expect(prose(text)).toBe(
      'solved on 5 December 2026; read 28 November 2026, 19:30, 2026-02-30T10:00:00Z, run-2026-01-02, 2026-13-40',
    )
    reader.language = 'en-US'
    expect(prose('solved on 2026-12-05')).toBe('solved on December 5, 2026')
  })
  it('dates come in the reader’s order, by the clock of the house', () => {
    reader.language = 'en-US'
    expect(when('2026-03-02T17:30:00Z', 'Europe/Amsterdam')).toBe('Mar 2, 2026, 06:30 PM')
    reader.language = 'de-DE'
    expect(when('2026-03-02T17:30:00Z', 'Europe/Amsterdam')).toMatch(/^2\. März 2026, 18:30$/)
  })
})
