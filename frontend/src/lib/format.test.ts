import { describe, expect, it } from 'vitest'
import { fromHouseClock, when } from './format'

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
