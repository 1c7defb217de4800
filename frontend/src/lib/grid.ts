/** A table that is filled by keyboard like a table: Enter and the arrows go from row to row, a paste fills cells. */

type Control = HTMLInputElement | HTMLSelectElement
const CONTROLS = 'input:not([type="file"]):not([data-pick]), select'

/** The controls of a table's body, by row, left to right; rows without any are left out. */
export function cells(body: HTMLElement): Control[][] {
  const rows = [...body.querySelectorAll<HTMLTableRowElement>(':scope > tr')]
  return rows.map((row) => [...row.querySelectorAll<Control>(CONTROLS)]).filter((row) => row.length > 0)
}

/** Where a control is in them, as row and column. */
export function placeOf(grid: Control[][], control: EventTarget | null): [number, number] | null {
  for (const [r, row] of grid.entries()) {
    const c = row.indexOf(control as Control)
    if (c >= 0) return [r, c]
  }
  return null
}

/** How many rows a key goes down from a control; 0 where the control uses the key itself. */
export function rowsDown(key: string, shift: boolean, control: Control): number {
  if (key === 'Enter') return shift ? -1 : 1
  if (control instanceof HTMLSelectElement) return 0
  return key === 'ArrowDown' ? 1 : key === 'ArrowUp' ? -1 : 0
}

/** Go to the cell so many rows further in the same column; what was typed is taken over as it is left. */
export function go(grid: Control[][], at: [number, number], down: number): boolean {
  const to = grid[at[0] + down]?.[at[1]]
  if (!to) return false
  to.focus()
  if (to instanceof HTMLInputElement && to.type !== 'checkbox') to.select()
  return true
}

/** Cells as a spreadsheet puts them on the clipboard: rows by line, columns by tab; null for a single value. */
export function pasted(text: string): string[][] | null {
  const rows = text.replace(/\r/g, '').replace(/\n$/, '').split('\n')
  if (rows.length < 2 && !text.includes('\t')) return null
  return rows.map((row) => row.split('\t').map((cell) => cell.trim()))
}

/** Put a text into a control as if it had been typed and left; false where it cannot be there. */
export function put(control: Control, text: string): boolean {
  if (control instanceof HTMLSelectElement) {
    const found = [...control.options].find((o) =>
      [o.text, o.value].some((x) => x.toLowerCase() === text.toLowerCase()),
    )
    if (!found || control.disabled) return false
    control.value = found.value
  } else if (control.type === 'checkbox') {
    control.checked = /^(x|yes|y|true|1|must)$/i.test(text)
  } else {
    const value = control.type === 'number' ? text.replace(',', '.') : text
    if (control.disabled || (control.type === 'number' && (value === '' || Number.isNaN(Number(value)))))
      return false
    const before = control.value
    control.value = value
    if (control.validity.rangeUnderflow || control.validity.rangeOverflow) {
      control.value = before
      return false
    }
  }
  control.dispatchEvent(new Event('change', { bubbles: true }))
  return true
}

/** Fill cells from one on; the number of those that took what came, and of those that did not. */
export function fill(grid: Control[][], at: [number, number], rows: string[][]): [number, number] {
  let [took, refused] = [0, 0]
  for (const [r, row] of rows.entries())
    for (const [c, text] of row.entries()) {
      const control = grid[at[0] + r]?.[at[1] + c]
      if (text === '') continue
      if (control && put(control, text)) took += 1
      else refused += 1
    }
  return [took, refused]
}
