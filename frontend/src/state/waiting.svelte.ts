import { api, ask, type Failure } from '../lib/api'
import type { Call, LinkTestBody, TickBody, TraceBody, WalkBody } from '../lib/types'

const STORE = 'even-static-waiting'
const AGAIN_MS = 4000

type Delivery =
  | { kind: 'reading'; body: WalkBody }
  | { kind: 'trace'; body: TraceBody }
  | { kind: 'link test'; body: LinkTestBody }
  | { kind: 'tick'; stepId: string; body: TickBody }
type Waiting = { callId: number } & Delivery

function post(waiting: Waiting): Promise<Call> {
  const path = { params: { path: { call_id: waiting.callId } } }
  switch (waiting.kind) {
    case 'reading':
      return ask(api.POST('/api/calls/{call_id}/walk', { ...path, body: waiting.body }))
    case 'trace':
      return ask(api.POST('/api/calls/{call_id}/walk/trace', { ...path, body: waiting.body }))
    case 'tick':
      return ask(
        api.POST('/api/calls/{call_id}/sheet/{step_id}/tick', {
          params: { path: { call_id: waiting.callId, step_id: waiting.stepId } },
          body: waiting.body,
        }),
      )
    case 'link test':
      return ask(api.POST('/api/calls/{call_id}/link-test', { ...path, body: waiting.body }))
  }
}

/** What was measured and has not arrived yet: it waits in this browser and is sent until it has. Each has a key of its
 * own, so that what arrived although its answer was lost is kept once. */
class WaitingReadings {
  list = $state<Waiting[]>(load())
  /** Whether the last attempt reached the application. */
  reached = $state(true)
  refused = $state('')
  private sending = false
  private timer: ReturnType<typeof setTimeout> | undefined

  constructor() {
    addEventListener('online', () => void this.send())
  }

  add(callId: number, delivery: Delivery, taken: (call: Call) => void) {
    this.list.push({ callId, ...delivery })
    this.save()
    return this.send(taken)
  }

  of(callId: number) {
    return this.list.filter((w) => w.callId === callId)
  }

  async send(taken: (call: Call) => void = () => {}) {
    if (this.sending) return
    this.sending = true
    clearTimeout(this.timer)
    try {
      while (this.list.length) {
        try {
          const call = await post(this.list[0]!)
          this.reached = true
          taken(call)
        } catch (error) {
          const failure = error as Failure
          if (failure.body?.field === 'connection') {
            this.reached = false
            break
          }
          // The application answered and does not want it: say so, and let the others through.
          this.refused = failure.message
        }
        this.list.shift()
        this.save()
      }
    } finally {
      this.sending = false
      if (this.list.length) this.timer = setTimeout(() => void this.send(taken), AGAIN_MS)
    }
  }

  private save() {
    localStorage.setItem(STORE, JSON.stringify(this.list))
  }
}

function load(): Waiting[] {
  try {
    const kept = JSON.parse(localStorage.getItem(STORE) ?? '[]') as (Waiting & { kind?: string })[]
    return kept.map((w) => ({ ...w, kind: w.kind ?? 'reading' }) as Waiting)
  } catch {
    return []
  }
}

export const waiting = new WaitingReadings()

/** A key that no other delivery has. Works without a secure context, unlike crypto.randomUUID. */
export function newKey(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(12))
  return `walk-${[...bytes].map((b) => b.toString(16).padStart(2, '0')).join('')}`
}

/** Now, as the job file writes times. The house's clock is the application's; offline the browser's own is all there is. */
export function timestamp(): string {
  // eslint-disable-next-line svelte/prefer-svelte-reactivity -- read once, never watched
  return new Date().toISOString().replace(/\.\d+Z$/, 'Z')
}
