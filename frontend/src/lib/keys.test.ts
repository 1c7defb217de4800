import { describe, expect, it } from 'vitest'
import { onKeys, taken } from './keys'

/** A key pressed while an element of some kind has the focus; `is` says which of the selectors it answers to. */
function pressed(key: string, is: (selector: string) => boolean, more: Partial<KeyboardEvent> = {}) {
  let prevented = false
  const target = { closest: (selector: string) => (selector.split(', ').some(is) ? {} : null) }
  const event = {
    key,
    target,
    ctrlKey: false,
    metaKey: false,
    altKey: false,
    preventDefault: () => (prevented = true),
    ...more,
  } as unknown as KeyboardEvent
  return { event, wasPrevented: () => prevented }
}
const nothing = () => false
const select = (s: string) => s === 'select'
const button = (s: string) => s === 'button'
const checkbox = (s: string) => s === 'input'
const field = (s: string) => s.startsWith('input')

describe('single-key shortcuts', () => {
  it('act when nothing has the focus', () => {
    const done: string[] = []
    const keys = onKeys({
      t: () => done.push('t'),
      enter: () => done.push('enter'),
      '5': () => done.push('5'),
    })
    for (const key of ['t', 'T', 'Enter', '5', 'x']) keys(pressed(key, nothing).event)
    expect(done).toEqual(['t', 't', 'enter', '5'])
  })

  it('leave a list and a field alone', () => {
    for (const key of ['5', 't', 'Enter', 'ArrowDown']) {
      expect(taken(pressed(key, select).event)).toBe(true)
      expect(taken(pressed(key, field).event)).toBe(true)
    }
  })

  it('leave Enter and Space to a focused button, and letters act beside it', () => {
    expect(taken(pressed('Enter', button).event)).toBe(true)
    expect(taken(pressed(' ', button).event)).toBe(true)
    expect(taken(pressed('t', button).event)).toBe(false)
  })

  it('act after a box was ticked', () => {
    expect(taken(pressed('t', checkbox).event)).toBe(false)
    expect(taken(pressed(' ', checkbox).event)).toBe(true)
  })

  it('leave Ctrl Z to the text that is written, and take it elsewhere', () => {
    const done: string[] = []
    const keys = onKeys({ 'ctrl+z': () => done.push('z') })
    keys(pressed('z', field, { ctrlKey: true }).event)
    expect(done).toEqual([])
    const elsewhere = pressed('z', select, { ctrlKey: true })
    keys(elsewhere.event)
    expect(done).toEqual(['z'])
    expect(elsewhere.wasPrevented()).toBe(true)
  })
})
