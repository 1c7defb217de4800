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

/** Headroom, cut to two digits; the core compares up to 2×, so more is shown as 2×+. */
export const headroom = (value: number | null | undefined) =>
  value === null || value === undefined
    ? '–'
    : value >= 2
      ? '2×+'
      : `${(Math.floor(value * 100) / 100).toFixed(2)}×`

export const mbps = (value: number) => `${value.toFixed(value < 10 ? 1 : 0)} Mb/s`

export const milliseconds = (fraction: number) => `${Math.round(fraction * 1000)} ms`

export function when(iso: string | null | undefined): string {
  if (!iso) return '–'
  // A time with an offset is shown as the clock in that house showed it; one in UTC as the clock here.
  const at = new Date(iso.endsWith('Z') ? iso : iso.replace(/[+-]\d\d:\d\d$/, ''))
  return `${at.toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' })}, ${at.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })}`
}

export const plural = (count: number, one: string, many = `${one}s`) => `${count} ${count === 1 ? one : many}`

/** A difference with its sign, always shown. */
export const signed = (value: number, digits = 1) =>
  `${value < 0 ? '−' : '+'}${Math.abs(value).toFixed(digits)}`

/** Text from the core with real minus signs before its numbers. */
export const prose = (text: string) => text.replace(/(^|[\s(])-(?=\d)/g, '$1−')
