/** Numbers and times as text, as the reader writes them. Signs are real minus signs, so that columns line up and -40 is
 * read as a number. */

/** The reader's language, which says how numbers and dates are written. */
export const reader = { language: typeof navigator === 'undefined' ? 'en-GB' : navigator.language }

const kept = new Map<string, Intl.NumberFormat>()
function numbers(digits: number): Intl.NumberFormat {
  const key = `${reader.language}/${digits}`
  let found = kept.get(key)
  if (!found) {
    found = new Intl.NumberFormat(reader.language, {
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
      numberingSystem: 'latn',
      signDisplay: 'negative',
      useGrouping: false,
    })
    kept.set(key, found)
  }
  return found
}

/** A number with so many digits behind the point or comma of the reader; a dash where there is none. */
export const fixed = (value: number | null | undefined, digits = 0) =>
  value === null || value === undefined ? '–' : minus(numbers(digits).format(value))

/** A whole number in groups of three, as the reader writes it. */
export const counted = (value: number) =>
  new Intl.NumberFormat(reader.language, { numberingSystem: 'latn' }).format(value)

/** Between a number and its unit no line ends. */
const NO_BREAK = '\u00a0'

const minus = (text: string) => text.replace('-', '−')

export const dbm = (value: number | null | undefined) =>
  value === null || value === undefined ? '–' : `${fixed(value)}${NO_BREAK}dBm`

export const db = (value: number | null | undefined, digits = 0) =>
  value === null || value === undefined ? '–' : `${fixed(value, digits)}${NO_BREAK}dB`

export const percent = (fraction: number | null | undefined, digits = 0) =>
  fraction === null || fraction === undefined ? '–' : `${fixed(fraction * 100, digits)}${NO_BREAK}%`

/** Delivery is cut, not rounded: 98.96 % must not read as 99. */
export const delivery = (fraction: number | null | undefined) =>
  fraction === null || fraction === undefined
    ? '–'
    : `${fixed(Math.floor(fraction * 1000) / 10, 1)}${NO_BREAK}%`

/** Headroom, cut to two digits; to whole numbers where it is ten times the need or more. */
export const headroom = (value: number | null | undefined) =>
  value === null || value === undefined
    ? '–'
    : value >= 10
      ? `${Math.floor(value)}×`
      : `${fixed(Math.floor(value * 100) / 100, 2)}×`

export const mbps = (value: number) => `${fixed(value, value < 10 ? 1 : 0)}${NO_BREAK}Mb/s`

export const milliseconds = (fraction: number) => `${Math.round(fraction * 1000)}${NO_BREAK}ms`

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
  const day = { day: 'numeric', month: 'short', year: 'numeric', numberingSystem: 'latn', ...zone } as const
  const time = { hour: '2-digit', minute: '2-digit', numberingSystem: 'latn', ...zone } as const
  return `${at.toLocaleDateString(reader.language, day)}, ${at.toLocaleTimeString(reader.language, time)}`
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
  `${value < 0 ? '−' : '+'}${fixed(Math.abs(value), digits)}`

/** Text from the core as the reader writes it: days (2026-11-28) with their month, minus signs before numbers, the
 * reader's point or comma in them; standards (802.11ax), bands (2.4 GHz) and what is named after one (hall-2.4) keep
 * their point. The
 * report as PDF does the same (`formats/as_read.py`), but for the space that no line ends at. */
export const prose = (text: string) =>
  text
    .replace(/(?<![\w-])(\d{4}-\d\d-\d\d)(?: (\d\d:\d\d))?(?![\w-])/g, (_, date, time) => dayText(date, time))
    .replace(/(^|[\s(])-(?=\d)/g, '$1−')
    .replace(/(\d) ?%/g, `$1${NO_BREAK}%`)
    .replace(/(\d) (?=(?:dBm?|Mb\/s|[MG]Hz|ms|min|m)(?![\w/]))/g, `$1${NO_BREAK}`)
    .replace(/(^|[\s(±+−×])(?!802\.|2\.4\sGHz)(\d+)\.(\d+)(?![\d.]*[A-Za-z]|\d*\.\d)/g, `$1$2${point()}$3`)
function dayText(date: string, time?: string): string {
  const at = new Date(`${date}T${time ?? '12:00'}:00`)
  if (Number.isNaN(at.getTime())) return time ? `${date} ${time}` : date
  const day = { day: 'numeric', month: 'long', year: 'numeric', numberingSystem: 'latn' } as const
  const written = at.toLocaleDateString(reader.language, day)
  const clock = { hour: '2-digit', minute: '2-digit', numberingSystem: 'latn' } as const
  return time ? `${written}, ${at.toLocaleTimeString(reader.language, clock)}` : written
}
const point = () => numbers(1).format(0.5)[1] ?? '.'

/** A text of the core as the beginning of a sentence, with minus signs. */
export const sentence = (text: string) => prose(`${text[0]?.toUpperCase() ?? ''}${text.slice(1)}`)

const FLOORS = ['ground floor', 'first floor', 'second floor', 'third floor', 'fourth floor', 'fifth floor']
/** A floor as people call it; 0 is the ground floor. */
export const floorName = (level: number) =>
  FLOORS[level] ?? (level === -1 ? 'basement' : level < 0 ? `${-level} floors down` : `floor ${level}`)

/** A text with its first letter large. */
export const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
