import { describe, expect, it } from 'vitest'
import { outcomeOf, pauseMs } from './queue'

describe('what becomes of a reading that was sent', () => {
  it.each([200, 201, 204])('is stored where %i says so', (status) => expect(outcomeOf(status)).toBe('stored'))
  it.each([400, 404, 413, 422])('is refused for good by %i', (status) =>
    expect(outcomeOf(status)).toBe('refused'),
  )
  it.each([0, 401, 403, 408, 425, 429, 500, 502, 503, 504])('waits and is sent again after %i', (status) =>
    expect(outcomeOf(status)).toBe('waits'),
  )
})

it('waits longer from failure to failure, and never longer than half a minute', () => {
  const pauses = [0, 1, 2, 3, 10, 1000].map(pauseMs)
  expect(pauses).toEqual([...pauses].sort((a, b) => a - b))
  expect(pauses[0]).toBe(2000)
  expect(pauses.at(-1)).toBe(30_000)
})
