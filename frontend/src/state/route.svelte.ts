/** Where we are, read from the part of the address behind #: "#/" or "#/call/3/tune". */

export const STEPS = ['ask', 'kit', 'house', 'walk', 'listen', 'tune', 'change', 'prove', 'report'] as const
export type Step = (typeof STEPS)[number]

export interface At {
  callId: number | null
  step: Step
  /** The view of a step that has several. */
  part: string
}

export function parseRoute(hash: string): At {
  const [, root, id, step, part] = hash.replace(/^#/, '').split('/')
  if (root !== 'call' || !/^\d+$/.test(id ?? '')) return { callId: null, step: 'ask', part: '' }
  return { callId: Number(id), step: STEPS.find((s) => s === step) ?? 'ask', part: part ?? '' }
}

/** A view's name as part of an address. */
export const slug = (name: string) => name.toLowerCase().replace(/[^a-z0-9]+/g, '-')

class Route {
  current = $state(parseRoute(location.hash))

  constructor() {
    addEventListener('hashchange', () => {
      const before = this.current
      this.current = parseRoute(location.hash)
      // Another step is another page, and a page begins at its top.
      if (before.step !== this.current.step || before.callId !== this.current.callId) scrollTo(0, 0)
    })
  }
}

export const route = new Route()
export const goTo = (callId: number | null, step: Step = 'ask', part = '') =>
  (location.hash = callId === null ? '#/' : `#/call/${callId}/${step}${part && `/${part}`}`)

/** Open a view of the step that is shown; going back leads to the step before, not through its views. */
export function showPart(part: string) {
  const { callId, step } = route.current
  if (callId === null) return
  history.replaceState(null, '', `#/call/${callId}/${step}/${part}`)
  route.current = { callId, step, part }
}
