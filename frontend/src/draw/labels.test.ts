import { describe, expect, it } from 'vitest'
import { around, placeLabels, shared, unbunched } from './labels'

const box = (x: number, y: number, width = 10, height = 4) => ({ x, y, width, height })

const everywhere = { x: -1e3, y: -1e3, width: 2e3, height: 2e3 }

describe('labels', () => {
  it('stay inside the frame where there is room', () => {
    const label = { id: 'edge', candidates: around(98, 50, 'a name', 10, 4), must: true }
    const placed = placeLabels([label], [], { x: 0, y: 0, width: 100, height: 100 }).get('edge')!
    expect(placed.x + placed.width).toBeLessThanOrEqual(100)
  })
  it('take the first free candidate and never lie over another while one is free', () => {
    const crowd = Array.from({ length: 12 }, (_, i) => ({
      id: String(i),
      candidates: around((i % 4) * 30, Math.floor(i / 4) * 30, 'sensor', 5, 4),
      must: true,
    }))
    const placed = [...placeLabels(crowd, [], everywhere).values()]
    expect(placed).toHaveLength(12)
    for (const [i, a] of placed.entries()) for (const b of placed.slice(i + 1)) expect(shared(a, b)).toBe(0)
  })
  it('leave out what need not be shown, and show what must where it covers least', () => {
    const taken = [box(0, 0)]
    const labels = [
      { id: 'may', candidates: [box(0, 0), box(5, 2)], must: false },
      { id: 'must', candidates: [box(0, 0), box(8, 3)], must: true },
    ]
    const placed = placeLabels(labels, taken, everywhere)
    expect(placed.has('may')).toBe(false)
    expect(placed.get('must')).toEqual(box(8, 3))
  })
  it('shares of boxes are areas', () => {
    expect(shared(box(0, 0), box(5, 2))).toBe(10)
    expect(shared(box(0, 0), box(10, 0))).toBe(0)
  })
})

describe('contours', () => {
  const line = (y: number) => [0, y, 1, y, 2, y, 3, y, 4, y]
  const contours = [-60, -65, -70].map((level_dbm, i) => ({
    level_dbm,
    lines: [line(i * 0.01), line(50 + i * 20)],
  }))
  it('leave out a line between two that are nearly the same, and keep those that stand apart', () => {
    const drawn = unbunched(contours, -75, 0.1)
    expect(drawn.map((c) => c.lines.length)).toEqual([2, 1, 2])
    expect(drawn[1]!.lines[0]![1]).toBe(70)
  })
  it('always keep the level that counts', () => {
    expect(unbunched(contours, -65, 0.1).map((c) => c.lines.length)).toEqual([2, 2, 2])
  })
})
