/** Where we are, read from the part of the address behind #: "#/" or "#/call/3/tune". */

export const STEPS = ['ask', 'kit', 'house', 'walk', 'listen', 'tune', 'change', 'prove', 'report'] as const
export type Step = (typeof STEPS)[number]

export function parseRoute(hash: string): { callId: number | null; step: Step } {
  const [, root, id, step] = hash.replace(/^#/, '').split('/')
  if (root !== 'call' || !/^\d+$/.test(id ?? '')) return { callId: null, step: 'ask' }
  return { callId: Number(id), step: STEPS.find((s) => s === step) ?? 'ask' }
}

class Route {
  current = $state(parseRoute(location.hash))

  constructor() {
    addEventListener('hashchange', () => (this.current = parseRoute(location.hash)))
  }
}

export const route = new Route()
export const goTo = (callId: number | null, step: Step = 'ask') =>
  (location.hash = callId === null ? '#/' : `#/call/${callId}/${step}`)
