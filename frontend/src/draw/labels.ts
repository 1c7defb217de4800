import type { Box } from './plan'

/**
 * Placing labels so that none lies over another: each has a few candidate positions around what it names, and takes the
 * first that is free, the most important labels first (point-feature labelling, greedy as in Christensen, Marks and
 * Shieber 1995). One that must be shown takes the position that covers least where none is free.
 */
export interface Label {
  id: string
  /** Boxes in which the text could stand, the best first; all in the drawing's coordinates, y downwards. */
  candidates: Box[]
  /** Whether it is shown although it covers something. */
  must: boolean
}

/** How much two boxes share. */
export function shared(a: Box, b: Box): number {
  const w = Math.min(a.x + a.width, b.x + b.width) - Math.max(a.x, b.x)
  const h = Math.min(a.y + a.height, b.y + b.height) - Math.max(a.y, b.y)
  return w > 0 && h > 0 ? w * h : 0
}

/** The box of each label that is shown, by id; ``taken`` are boxes that no label may cover, such as marks, ``frame`` what is
 * seen of the drawing: what would lie outside it counts as covered. */
export function placeLabels(labels: Label[], taken: Box[], frame: Box): Map<string, Box> {
  const placed = new Map<string, Box>()
  const all = [...taken]
  for (const label of labels) {
    let best: Box | null = null
    let least = Infinity
    for (const box of label.candidates) {
      const outside = box.width * box.height - shared(box, frame)
      const covers = all.reduce((sum, other) => sum + shared(box, other), outside > 1e-9 ? outside : 0)
      if (covers < least) [best, least] = [box, covers]
      if (covers === 0) break
    }
    if (!best || (least > 0 && !label.must)) continue
    placed.set(label.id, best)
    all.push(best)
  }
  return placed
}

/** About how wide a text is, in units of its font size: the drawings' bold face is 0.63 wide on average. */
export const textWidth = (text: string, size: number) => text.length * size * 0.63

/** Boxes around a point in which a text of a size can stand: right, left, above, below, then the corners. */
export function around(x: number, y: number, text: string, size: number, gap: number): Box[] {
  const [w, h] = [textWidth(text, size), size * 1.15]
  const at = (dx: number, dy: number): Box => ({ x: x + dx, y: y + dy, width: w, height: h })
  return [
    at(gap, -h / 2),
    at(-gap - w, -h / 2),
    at(-w / 2, gap),
    at(-w / 2, -gap - h),
    at(gap * 0.7, gap * 0.5),
    at(gap * 0.7, -gap * 0.5 - h),
    at(-gap * 0.7 - w, gap * 0.5),
    at(-gap * 0.7 - w, -gap * 0.5 - h),
    at(-w / 2, gap + h),
    at(-w / 2, -gap - 2 * h),
  ]
}

type Values = { level_dbm: number; labels: number[][] }

/** Labels of the values on contours, each where it stands on its line and shown only where there is room; y is turned
 * over, and a square leaves room however the text is turned. */
export const levelLabels = (contours: Values[], px: number): Label[] =>
  contours.flatMap((c) =>
    c.labels.map(([x, y], i) => {
      const size = textWidth(`−${-c.level_dbm}`, px * 12) + px * 4
      const square = { x: x! - size / 2, y: -y! - size / 2, width: size, height: size }
      return { id: `level:${c.level_dbm}:${i}`, candidates: [square], must: false }
    }),
  )

type Lines = { level_dbm: number; lines: number[][] }

/**
 * Contours without those that would run into a smear: a line that lies nearer than ``apart`` to the next stronger or weaker
 * one for most of its way is left out, unless its level is a multiple of ten or the one that counts.
 */
export function unbunched<C extends Lines>(contours: C[], keep: number, apart: number): C[] {
  const byLevel = new Map(contours.map((c) => [c.level_dbm, c.lines]))
  const levels = [...byLevel.keys()].sort((a, b) => a - b)
  return contours.map((contour) => {
    if (contour.level_dbm % 10 === 0 || contour.level_dbm === keep) return contour
    const at = levels.indexOf(contour.level_dbm)
    const others = [levels[at - 1], levels[at + 1]].flatMap((l) => (l === undefined ? [] : byLevel.get(l)!))
    return { ...contour, lines: contour.lines.filter((line) => !bunched(line, others, apart)) }
  })
}

function bunched(line: number[], others: number[][], apart: number): boolean {
  let near = 0
  let count = 0
  for (let i = 0; i + 1 < line.length; i += 4) {
    count += 1
    const [x, y] = [line[i]!, line[i + 1]!]
    near += others.some((o) => {
      for (let k = 0; k + 1 < o.length; k += 2) if (Math.hypot(o[k]! - x, o[k + 1]! - y) < apart) return true
      return false
    })
      ? 1
      : 0
  }
  return count > 0 && near / count > 0.5
}
