import { describe, expect, it } from 'vitest'
import type { Cabling } from '../lib/types'
import {
  drawingAddress,
  extent,
  frame,
  inMetres,
  inUnits,
  labelAt,
  length,
  openingEnds,
  outlinePath,
  pathOf,
} from './plan'
import { cablePath, CARD, layout, LETTERS, plugAt, wrapped } from './wiring'

const ROOM = [
  [0, 0],
  [4, 0],
  [4, 3],
  [0, 3],
]

describe('the plan is drawn in metres, and its back is up', () => {
  it('turns y over, and closes an outline', () => {
    expect(outlinePath(ROOM)).toBe('M0 0L4 0L4 -3L0 -3Z')
    expect(pathOf([1, 2, 3, 4])).toBe('M1 -2L3 -4')
    expect(pathOf([1, 2, 3, 4], true).endsWith('Z')).toBe(true)
  })
  it('frames all rooms with the same margin on each side', () => {
    const found = frame([ROOM, [[6, -2]]])
    expect(found.x).toBeCloseTo(-0.9)
    expect(found.x + found.width).toBeCloseTo(6.9)
    expect(found.y).toBeCloseTo(-3.9)
    expect(found.y + found.height).toBeCloseTo(2.9)
  })
  it('has a frame before there is a room', () => expect(frame([]).width).toBeGreaterThan(0))
  it('knows the box of an outline', () => expect(extent(ROOM)).toEqual({ x: 0, y: 0, width: 4, height: 3 }))
  it('keeps an opening inside its wall', () => {
    const wall = { start: [0, 0], end: [4, 0] }
    expect(openingEnds(wall, 2, 1).map((v) => v + 0)).toEqual([1.5, 0, 2.5, 0])
    const [x1, , x2] = openingEnds(wall, 3.9, 1)
    expect(x1).toBeCloseTo(3.4)
    expect(x2).toBeCloseTo(4)
    expect(openingEnds({ start: [1, 1], end: [1, 1] }, 0.5, 1).every(Number.isFinite)).toBe(true)
  })
})

describe('a room is named where nothing stands', () => {
  const room = extent(ROOM)
  const size = { width: 1.5, height: 0.5 }
  it('begins at the upper left', () => expect(labelAt(room, size, [])).toEqual([0, 3]))
  it('goes to another corner when something is there', () => {
    expect(labelAt(room, size, [[0.5, 2.8]])).toEqual([0, 0.5])
    const both = [
      [0.5, 2.8],
      [0.5, 0.2],
    ]
    expect(labelAt(room, size, both)).toEqual([2.5, 3])
  })
  it('stays in its room where the name is longer than the room', () =>
    expect(labelAt({ ...room, width: 1 }, size, [[0.5, 2.8]])[0]).toBe(0))
})

describe('lengths in the units of the house', () => {
  it('goes to feet and back', () => {
    expect(inUnits(3.048, 'feet')).toBe(10)
    expect(inMetres(10, 'feet')).toBeCloseTo(3.048)
    expect(inMetres(2.5, 'metric')).toBe(2.5)
  })
  it('carries twelve inches over', () => {
    expect(length(3.0479, 'feet')).toBe(`10' 0"`)
    expect(length(2.5, 'feet')).toBe(`8' 2"`)
    expect(length(2.54, 'metric')).toBe('2.5 m')
  })
})

it('asks for the same picture to scale that is on the screen', () => {
  const drawing = { band: '5 GHz', direction: 'downlink', node_id: null, storey: 1, axis: 'along', at_m: 2.5 }
  expect(drawingAddress(3, 'built', drawing)).toBe(
    '/api/calls/3/plan.svg?band=5%20GHz&direction=downlink&storey=1',
  )
  expect(drawingAddress(3, 'section', drawing)).toBe(
    '/api/calls/3/section.svg?band=5%20GHz&direction=downlink&axis=along&at_m=2.5',
  )
})

const box = (id: string, from_id: string | null, hops: number | null) =>
  ({ id, from_id, hops, name: id, role: 'node' }) as unknown as Cabling['boxes'][number]
const drawn = (...boxes: Cabling['boxes']) => ({ boxes, cables: [] }) as unknown as Cabling

describe('the cabling follows the line', () => {
  const house = drawn(
    box('modem', null, 0),
    box('hall', 'modem', 1),
    box('attic', 'hall', 2),
    box('shed', 'hall', 2),
    box('spare', null, null),
  )
  it('puts each step in a column, the first way on straight', () => {
    const { at } = layout(house, false)
    expect(at.get('hall')!.x - at.get('modem')!.x).toBe(CARD.alongStep)
    expect(at.get('attic')!.y).toBe(at.get('hall')!.y)
    expect(at.get('shed')!.y).toBeGreaterThan(at.get('attic')!.y)
  })
  it('sets what nothing leads to apart', () => {
    const { at } = layout(house, false)
    const others = [...at.values()].filter((p) => p.id !== 'spare')
    expect(at.get('spare')!.y).toBeGreaterThan(Math.max(...others.map((p) => p.y)))
  })
  it.each([false, true])('never lays one over another, and keeps all inside (down: %s)', (down) => {
    const { at, width, height } = layout(house, down)
    const all = [...at.values()]
    expect(all).toHaveLength(5)
    for (const a of all) {
      expect(a.x + CARD.width).toBeLessThan(width)
      expect(a.y + CARD.height).toBeLessThan(height)
      for (const b of all)
        if (a.id < b.id)
          expect(Math.abs(a.x - b.x) >= CARD.width || Math.abs(a.y - b.y) >= CARD.height).toBe(true)
    }
  })
  it('is empty before there is a box', () => expect(layout(drawn(), false).at.size).toBe(0))
  it.each([false, true])(
    'draws the same cable from both ends, with its plug at the far one (down: %s)',
    (down) => {
      const { at } = layout(house, down)
      const [near, far] = [at.get('modem')!, at.get('hall')!]
      expect(cablePath(near, far, down)).toBe(cablePath(far, near, down))
      expect(plugAt(near, far, down)).toEqual(plugAt(far, near, down))
      const plug = plugAt(near, far, down)
      expect(Math.hypot(plug.x - far.x, plug.y - far.y)).toBeLessThan(
        Math.hypot(plug.x - near.x, plug.y - near.y),
      )
    },
  )
  it('goes round where both stand in one column', () => {
    const { at } = layout(house, false)
    const path = cablePath(at.get('attic')!, at.get('shed')!, false)
    expect(path.match(/H/g)).toHaveLength(2)
  })
})

describe('names on boxes', () => {
  it('stand on as many lines as they need, with nothing left out', () => {
    expect(wrapped('Router in the hall cupboard', 15)).toEqual(['Router in the', 'hall cupboard'])
    expect(wrapped('Hall', 15)).toEqual(['Hall'])
    for (const name of [
      'Wohnzimmerfernsehschrank oben',
      'a'.repeat(80),
      'the box under the stairs by the door',
    ]) {
      const lines = wrapped(name, LETTERS.name)
      expect(lines.every((l) => l.length <= LETTERS.name)).toBe(true)
      expect(lines.join('').replaceAll('-', '').replaceAll(' ', '')).toBe(name.replaceAll(' ', ''))
    }
  })
})
