import type { Offered } from './types'

export type LevelUnit = Offered['level_units'][number]

export const UNIT_HINT: Record<LevelUnit, string> = {
  dBm: 'less than zero',
  '%': 'estimated from it',
  bars: 'estimated from them',
}

/** Whether a value that is being typed is whole: a further digit begins the next one by itself. */
function isWhole(value: string, unit: LevelUnit): boolean {
  if (unit === 'bars') return value.length >= 1
  if (unit === '%') return value.length >= 3 || (value.length === 2 && value !== '10')
  return value.length >= 3 || (value.length === 2 && !value.startsWith('1'))
}

/** What was typed, and one digit more; several values are typed in a row without a key between them. */
export function press(typed: string, digit: string, unit: LevelUnit): string {
  const parts = typed ? typed.split(' ') : ['']
  const last = parts[parts.length - 1]!
  if (last && isWhole(last, unit)) parts.push(digit)
  else parts[parts.length - 1] = last + digit
  return parts.join(' ')
}

/** Whether what was typed can be kept: every value has the digits that its unit has at least. */
export const canKeep = (typed: string, unit: LevelUnit) =>
  typed !== '' &&
  typed
    .split(' ')
    .every((v) => (unit === 'dBm' ? v.length >= 2 : unit === '%' ? Number(v) <= 100 : /^[1-4]$/.test(v)))

/** The values as the API takes them. */
export const valuesOf = (typed: string, unit: LevelUnit) =>
  typed.split(' ').map((v) => (unit === 'dBm' ? -Number(v) : Number(v)))

/** What was typed, as it is shown. */
export function shownText(typed: string, unit: LevelUnit): string {
  if (!typed) return unit === 'dBm' ? '−' : '…'
  const each = typed.split(' ')
  if (unit === 'dBm') return each.map((v) => `−${v}`).join('  ')
  return each.map((v) => (unit === '%' ? `${v} %` : `${v} of 4`)).join('  ')
}
