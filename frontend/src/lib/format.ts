/** Numbers as text. Signs are real minus signs, so that columns line up and -40 is read as a number. */

const minus = (text: string) => text.replace('-', '−')

export const dbm = (value: number | null | undefined) =>
  value === null || value === undefined ? '–' : `${minus(value.toFixed(0))} dBm`

export const db = (value: number | null | undefined, digits = 0) =>
  value === null || value === undefined ? '–' : `${minus(value.toFixed(digits))} dB`

export const percent = (fraction: number | null | undefined, digits = 0) =>
  fraction === null || fraction === undefined ? '–' : `${(fraction * 100).toFixed(digits)} %`

/** Delivery is cut, not rounded: 98.96 % must not read as 99. */
export const delivery = (fraction: number | null | undefined) =>
  fraction === null || fraction === undefined ? '–' : `${(Math.floor(fraction * 1000) / 10).toFixed(1)} %`

/** Headroom, cut to two digits; to whole numbers where it is ten times the need or more. */
export const headroom = (value: number | null | undefined) =>
  value === null || value === undefined
    ? '–'
    : value >= 10
      ? `${Math.floor(value)}×`
      : `${(Math.floor(value * 100) / 100).toFixed(2)}×`

export const mbps = (value: number) => `${value.toFixed(value < 10 ? 1 : 0)} Mb/s`

export const milliseconds = (fraction: number) => `${Math.round(fraction * 1000)} ms`

/** The clock of the house that is on the screen: its time zone, or none where nobody has said. */
export const house: { timeZone: string | null } = { timeZone: null }

/**
 * A time as the clock of the house shows it. Where its zone is not known, a time with an offset is shown as it was
 * written down, and one in UTC as the clock here shows it.
 */
export function when(iso: string | null | undefined, timeZone: string | null = house.timeZone): string {
  if (!iso) return '–'
  const at = new Date(timeZone || iso.endsWith('Z') ? iso : iso.replace(/[+-]\d\d:\d\d$/, ''))
  const zone = timeZone ? { timeZone } : {}
  const day = at.toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric', ...zone })
  return `${day}, ${at.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit', ...zone })}`
}

/** How far a zone's clock is ahead of UTC at a moment, in minutes. */
function aheadMinutes(at: Date, timeZone: string): number {
  const parts = new Intl.DateTimeFormat('en-GB', {
    timeZone,
    hourCycle: 'h23',
    year: 'numeric',
    month: 'numeric',
    day: 'numeric',
    hour: 'numeric',
    minute: 'numeric',
  }).formatToParts(at)
  const of = (type: string) => Number(parts.find((p) => p.type === type)?.value)
  const shown = Date.UTC(of('year'), of('month') - 1, of('day'), of('hour'), of('minute'))
  return Math.round((shown - Math.floor(at.getTime() / 60_000) * 60_000) / 60_000)
}

/**
 * A time that somebody typed by the clock of the house (2026-03-29T09:30) as ISO 8601 with its offset. An hour that
 * summer time leaves out is taken as the one after it.
 */
export function fromHouseClock(local: string, timeZone: string | null = house.timeZone): string {
  if (!timeZone) return new Date(local).toISOString().replace(/\.\d+Z$/, 'Z')
  const wall = new Date(`${local.length === 16 ? local : local.slice(0, 16)}:00Z`).getTime()
  let ahead = aheadMinutes(new Date(wall), timeZone)
  ahead = aheadMinutes(new Date(wall - ahead * 60_000), timeZone)
  const sign = ahead < 0 ? '-' : '+'
  const two = (n: number) => String(Math.floor(n)).padStart(2, '0')
  return `${local.slice(0, 16)}:00${sign}${two(Math.abs(ahead) / 60)}:${two(Math.abs(ahead) % 60)}`
}

export const plural = (count: number, one: string, many = `${one}s`) => `${count} ${count === 1 ? one : many}`

/** A difference with its sign, always shown. */
export const signed = (value: number, digits = 1) =>
  `${value < 0 ? '−' : '+'}${Math.abs(value).toFixed(digits)}`

/** Text from the core with real minus signs before its numbers. */
export const prose = (text: string) => text.replace(/(^|[\s(])-(?=\d)/g, '$1−')

/** A text of the core as the beginning of a sentence, with minus signs. */
export const sentence = (text: string) => prose(`${text[0]?.toUpperCase() ?? ''}${text.slice(1)}`)

const FLOORS = ['ground floor', 'first floor', 'second floor', 'third floor', 'fourth floor', 'fifth floor']
/** A floor as people call it; 0 is the ground floor. */
export const floorName = (level: number) =>
  FLOORS[level] ?? (level === -1 ? 'basement' : level < 0 ? `${-level} floors down` : `floor ${level}`)

/** A text with its first letter large. */
export const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
