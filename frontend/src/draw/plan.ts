/** Geometry of the plan: metres to the drawing's coordinates, which run downwards. */

export interface Box {
  x: number
  y: number
  width: number
  height: number
}

const MARGIN_M = 0.9

/** The drawing's frame around rooms, in m, y turned over. */
export function frame(outlines: number[][][]): Box {
  const points = outlines.flat()
  if (points.length === 0) return { x: -1, y: -6, width: 10, height: 7 }
  const xs = points.map((p) => p[0]!)
  const ys = points.map((p) => -p[1]!)
  const x = Math.min(...xs) - MARGIN_M
  const y = Math.min(...ys) - MARGIN_M
  return { x, y, width: Math.max(...xs) + MARGIN_M - x, height: Math.max(...ys) + MARGIN_M - y }
}

/** A flat list x, y, x, y ... as a path. */
export function pathOf(flat: number[], closed = false): string {
  let text = ''
  for (let i = 0; i + 1 < flat.length; i += 2) text += `${i ? 'L' : 'M'}${flat[i]} ${-flat[i + 1]!}`
  return closed ? `${text}Z` : text
}

/** An outline as a path. */
export const outlinePath = (outline: number[][]) =>
  outline.map(([x, y], i) => `${i ? 'L' : 'M'}${x} ${-y!}`).join('') + 'Z'

/** The box of an outline, in m. */
export function extent(outline: number[][]): Box {
  const xs = outline.map((p) => p[0]!)
  const ys = outline.map((p) => p[1]!)
  const [x, y] = [Math.min(...xs), Math.min(...ys)]
  return { x, y, width: Math.max(...xs) - x, height: Math.max(...ys) - y }
}

/** Where a room's name stands: in the first corner (upper left, lower left, upper right, lower right) that nothing stands in. */
export function labelAt(
  room: Box,
  size: { width: number; height: number },
  things: number[][],
): [number, number] {
  const corners: [number, number][] = [
    [room.x, room.y + room.height - size.height],
    [room.x, room.y],
    [room.x + Math.max(room.width - size.width, 0), room.y + room.height - size.height],
    [room.x + Math.max(room.width - size.width, 0), room.y],
  ]
  const free = corners.find(
    ([x, y]) =>
      !things.some(([tx, ty]) => tx! > x && tx! < x + size.width && ty! > y && ty! < y + size.height),
  )
  const [x, y] = free ?? corners[0]!
  return [x, y + size.height]
}

/** Where along a wall an opening lies, as two points. */
export function openingEnds(
  wall: { start: number[]; end: number[] },
  atM: number,
  widthM: number,
): [number, number, number, number] {
  const [x1, y1] = wall.start as [number, number]
  const [x2, y2] = wall.end as [number, number]
  const length = Math.hypot(x2 - x1, y2 - y1) || 1
  const low = Math.max(0, atM - widthM / 2) / length
  const high = Math.min(length, atM + widthM / 2) / length
  return [x1 + (x2 - x1) * low, -(y1 + (y2 - y1) * low), x1 + (x2 - x1) * high, -(y1 + (y2 - y1) * high)]
}

interface Drawing {
  band: string
  direction: string
  node_id: string | null
  storey: number
  axis: string
  at_m: number | null
}

/** Where the application draws the same picture to scale. */
export function drawingAddress(callId: number, mode: string, drawing: Drawing): string {
  const { storey, axis, at_m, ...both } = drawing
  const wanted = mode === 'section' ? { ...both, axis, at_m } : { ...both, storey }
  const given = Object.entries(wanted).filter(([, value]) => value !== null)
  const query = given.map(([key, value]) => `${key}=${encodeURIComponent(String(value))}`).join('&')
  return `/api/calls/${callId}/${mode === 'section' ? 'section' : 'plan'}.svg?${query}`
}

const METRES_PER_FOOT = 0.3048

/** A length in the house's units, as a number to type over, and back. */
export const inUnits = (m: number, units: 'metric' | 'feet') =>
  Number((units === 'feet' ? m / METRES_PER_FOOT : m).toFixed(2))
export const inMetres = (value: number, units: 'metric' | 'feet') =>
  units === 'feet' ? value * METRES_PER_FOOT : value

/** A length for people, in the house's units. */
export function length(m: number, units: 'metric' | 'feet'): string {
  if (units === 'metric') return `${m.toFixed(1)} m`
  const inches = Math.round(m / 0.0254)
  return `${Math.floor(inches / 12)}' ${inches % 12}"`
}
