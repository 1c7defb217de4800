import type { Cabling } from '../lib/types'

/** Size of a box with two lines of text and the steps from one to the next, in drawing units. */
export const CARD = { width: 154, height: 56, alongStep: 204, between: 22, margin: 10, line: 17 } as const
/** So many letters of a name, and of what a box does, stand on one of its lines. */
export const LETTERS = { name: 15, does: 19 } as const

export interface Placed {
  id: string
  x: number
  y: number
  /** How high the boxes of the drawing are. */
  high: number
}

/** A text on as few lines as words of at most so many letters allow; longer words are broken. */
export function wrapped(text: string, letters: number): string[] {
  const lines: string[] = ['']
  for (const word of text.split(/\s+/).filter(Boolean)) {
    for (let rest = word, first = true; rest; first = false) {
      const last = lines.at(-1) ?? ''
      const gap = last && first ? ' ' : ''
      const room = letters - last.length - gap.length
      if (rest.length <= room) {
        lines[lines.length - 1] = last + gap + rest
        rest = ''
      } else if (rest.length > letters && room > 2) {
        lines[lines.length - 1] = last + gap + rest.slice(0, room - 1) + '-'
        lines.push('')
        rest = rest.slice(room - 1)
      } else lines.push('')
    }
  }
  return lines
}

/**
 * Boxes in the order of the line: each step from the line is a column (a row when `down`), each way on from a box goes
 * straight on as far as it can. Boxes that nothing leads to stand in a row of their own at the end.
 */
export function layout(
  drawn: Cabling,
  down: boolean,
  lines = 2,
): { at: Map<string, Placed>; width: number; height: number } {
  const at = new Map<string, Placed>()
  const high = CARD.height + (lines - 2) * CARD.line
  const lanes = new Map<string, number>()
  let free = 0
  const below = (id: string | null) => drawn.boxes.filter((b) => b.hops !== null && b.from_id === id)
  const walk = (id: string, lane: number) => {
    lanes.set(id, lane)
    below(id).forEach((next, i) => walk(next.id, i === 0 ? lane : ++free))
  }
  below(null).forEach((root, i) => walk(root.id, i === 0 ? 0 : ++free))
  const loose = drawn.boxes.filter((b) => !lanes.has(b.id))
  if (loose.length && lanes.size) free += 1
  const put = (id: string, step: number, lane: number) => {
    const [x, y] = down
      ? [lane * (CARD.width + 8), step * (high + 44)]
      : [step * CARD.alongStep, lane * (high + CARD.between)]
    at.set(id, { id, x: x + CARD.margin, y: y + CARD.margin, high })
  }
  for (const box of drawn.boxes) if (lanes.has(box.id)) put(box.id, box.hops ?? 0, lanes.get(box.id)!)
  loose.forEach((box, i) => (down ? put(box.id, deepest(drawn) + 1 + i, 0) : put(box.id, i, free)))
  const places = [...at.values()]
  return {
    at,
    width: Math.max(...places.map((p) => p.x), 0) + CARD.width + 2.5 * CARD.margin,
    height: Math.max(...places.map((p) => p.y), 0) + high + 2.5 * CARD.margin,
  }
}

const deepest = (drawn: Cabling) => Math.max(-1, ...drawn.boxes.map((b) => b.hops ?? -1))

/** Where a cable's plug is drawn: beside the box that is farther from the line. */
export function plugAt(a: Placed, b: Placed, down: boolean): { x: number; y: number } {
  const far = (down ? a.y <= b.y : a.x <= b.x) ? b : a
  return down ? { x: far.x + CARD.width / 2, y: far.y - 13 } : { x: far.x - 13, y: far.y + far.high / 2 }
}

/** The way of a cable between two boxes: straight where they face each other, else with one bend each. */
export function cablePath(a: Placed, b: Placed, down: boolean): string {
  const [first, second] = (down ? a.y <= b.y : a.x <= b.x) ? [a, b] : [b, a]
  if (down) {
    const from = { x: first.x + CARD.width / 2, y: first.y + first.high }
    const to = { x: second.x + CARD.width / 2, y: second.y }
    const middle = first.y === second.y ? from.y + 14 : (from.y + to.y) / 2
    const end = first.y === second.y ? second.y + second.high : to.y
    return `M${from.x} ${from.y}V${middle}H${to.x}V${end}`
  }
  const from = { x: first.x + CARD.width, y: first.y + first.high / 2 }
  const to = { x: second.x, y: second.y + second.high / 2 }
  if (first.x === second.x) {
    const out = from.x + 18
    return `M${from.x} ${from.y}H${out}V${to.y}H${from.x}`
  }
  const middle = from.x + (CARD.alongStep - CARD.width) / 2
  return `M${from.x} ${from.y}H${middle}V${to.y}H${to.x}`
}
