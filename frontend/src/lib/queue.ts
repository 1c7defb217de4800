/** What becomes of something that waits in the browser to be sent: pure rules, no browser in them. */

export type Outcome = 'stored' | 'refused' | 'waits'

/** Refusals that will not change however often it is sent: the request itself does not fit. */
const FOR_GOOD = new Set([400, 404, 409, 410, 413, 414, 415, 422])

/**
 * What an answer means for what was sent. 0 stands for no answer in time. Everything else that is no success may come
 * out otherwise later (a fault, a busy data file, a phone that has to be paired again), and so it waits.
 */
export function outcomeOf(status: number): Outcome {
  if (status >= 200 && status < 300) return 'stored'
  return FOR_GOOD.has(status) ? 'refused' : 'waits'
}

const FIRST_MS = 2000
const LONGEST_MS = 30_000

/** How long to wait before trying again, after so many failures in a row. */
export const pauseMs = (failures: number) => Math.min(LONGEST_MS, FIRST_MS * 2 ** Math.min(failures, 6))
