/** Geometry of the frequency sheet: everything in units of a strip that is 1000 wide. */

export const WIDTH = 1000

export interface Span {
  x: number
  width: number
}

/** Position of a frequency on the strip, to scale; outside frequencies are cut at the edges. */
export function at(mhz: number, lowMhz: number, highMhz: number): number {
  return Math.min(WIDTH, Math.max(0, ((mhz - lowMhz) / (highMhz - lowMhz)) * WIDTH))
}

export function span(fromMhz: number, toMhz: number, lowMhz: number, highMhz: number): Span {
  const x = at(fromMhz, lowMhz, highMhz)
  return { x, width: Math.max(at(toMhz, lowMhz, highMhz) - x, 1) }
}

/** Where a level stands between weak (0, at -95 dBm) and strong (1, at -25 dBm): stronger is always further. */
export function levelShare(rssiDbm: number): number {
  return Math.min(1, Math.max(0, (rssiDbm + 95) / 70))
}

/** Which channels get their number written, so that numbers do not run into each other. */
export function labelled(centresMhz: number[], lowMhz: number, highMhz: number, apart: number): boolean[] {
  let last = -Infinity
  return centresMhz.map((mhz) => {
    const x = at(mhz, lowMhz, highMhz)
    if (x - last < apart) return false
    last = x
    return true
  })
}
