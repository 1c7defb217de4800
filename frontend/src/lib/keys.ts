/** Single-key shortcuts, which rest while somebody types into a field. */
export function typing(event: KeyboardEvent): boolean {
  const at = event.target as HTMLElement | null
  return !!at?.closest('input, textarea, select, [contenteditable], [role="combobox"], [role="dialog"]')
}

/** Where Ctrl Z belongs to the text that is being written. */
const writing = (event: KeyboardEvent) =>
  !!(event.target as HTMLElement | null)?.closest('input:not([type="checkbox"]), textarea, [contenteditable]')

export function onKeys(map: Record<string, () => void>): (event: KeyboardEvent) => void {
  return (event) => {
    const combined = (event.ctrlKey || event.metaKey ? 'ctrl+' : '') + event.key.toLowerCase()
    if (event.altKey || (typing(event) && !combined.startsWith('ctrl+'))) return
    const action = map[combined]
    if (action && !(combined.startsWith('ctrl+') && writing(event))) {
      event.preventDefault()
      action()
    }
  }
}
