import type { Offered } from './types'

/** A unit in which devices show levels, and the least and the most that is typed in it, without its sign. */
export type LevelUnit = Offered['level_units'][number]
export type UnitName = LevelUnit['unit']

export const UNIT_HINT: Record<UnitName, string> = {
  dBm: 'less than zero',
  '%': 'estimated from it',
  bars: 'estimated from them',
}

/** What was typed, and one digit more: where that would be more than there can be, it begins the next value, so that
 * several are typed in a row without a key between them. */
export function press(typed: string, digit: string, { most }: LevelUnit): string {
  const parts = typed ? typed.split(' ') : ['']
  const last = parts[parts.length - 1]!
  if (last && Number(last + digit) > most) parts.push(digit)
  else parts[parts.length - 1] = last + digit
  return parts.join(' ')
}

/** Whether what was typed can be kept: every value is one that the unit has. */
export const canKeep = (typed: string, { least, most }: LevelUnit) =>
  typed !== '' && typed.split(' ').every((v) => Number(v) >= least && Number(v) <= most)

/** The values as the API takes them. */
export const valuesOf = (typed: string, { unit }: LevelUnit) =>
  typed.split(' ').map((v) => (unit === 'dBm' ? -Number(v) : Number(v)))

/** What was typed, as it is shown. */
export function shownText(typed: string, { unit, most }: LevelUnit): string {
  if (!typed) return unit === 'dBm' ? '−' : '…'
  const each = typed.split(' ')
  if (unit === 'dBm') return each.map((v) => `−${v}`).join('  ')
  return each.map((v) => (unit === '%' ? `${v} %` : `${v} of ${most}`)).join('  ')
}
