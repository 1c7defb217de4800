/** Single-key shortcuts. They rest while a control has the focus that uses the key itself. */

const WRITES =
  'input:not([type="checkbox"]):not([type="radio"]), textarea, select, [contenteditable], [role="combobox"], [role="dialog"]'
const PRESSED = 'button, a[href], summary, input, [role="button"], [role="tab"], [role="radio"]'
const OWN_KEYS = new Set(['enter', ' ', 'arrowleft', 'arrowright', 'arrowup', 'arrowdown'])

const at = (event: KeyboardEvent) => event.target as HTMLElement | null

/** Whether somebody types into a field, or chooses in a list: then every key is theirs. */
export function typing(event: KeyboardEvent): boolean {
  return !!at(event)?.closest(WRITES)
}

/** Whether a key belongs to the control that has the focus: all of them in a field, Enter and Space on a button. */
export function taken(event: KeyboardEvent): boolean {
  return typing(event) || (OWN_KEYS.has(event.key.toLowerCase()) && !!at(event)?.closest(PRESSED))
}

/** Where Ctrl Z belongs to the text that is being written. */
const writing = (event: KeyboardEvent) =>
  !!at(event)?.closest('input:not([type="checkbox"]), textarea, [contenteditable]')

export function onKeys(map: Record<string, () => void>): (event: KeyboardEvent) => void {
  return (event) => {
    const combined = (event.ctrlKey || event.metaKey ? 'ctrl+' : '') + event.key.toLowerCase()
    if (event.altKey || (taken(event) && !combined.startsWith('ctrl+'))) return
    const action = map[combined]
    if (action && !(combined.startsWith('ctrl+') && writing(event))) {
      event.preventDefault()
      action()
    }
  }
}
