import { api, ask, type Failure } from '../lib/api'
import { outcomeOf, pauseMs } from '../lib/queue'
import type {
  Call,
  CardSeriesBody,
  LinkTestBody,
  TickBody,
  TraceBody,
  TypedLevelsBody,
  WalkBody,
} from '../lib/types'

const STORE = 'even-static-waiting:'
const TIMEOUT_MS = 20_000

type Delivery =
  | { kind: 'reading'; body: WalkBody }
  | { kind: 'typed'; body: TypedLevelsBody }
  | { kind: 'scan'; body: CardSeriesBody }
  | { kind: 'trace'; body: TraceBody }
  | { kind: 'link test'; body: LinkTestBody }
  | { kind: 'tick'; stepId: string; body: TickBody }
type Waiting = { id: string; callId: number } & Delivery

function post(waiting: Waiting): Promise<Call> {
  const path = { params: { path: { call_id: waiting.callId } } }
  switch (waiting.kind) {
    case 'reading':
      return ask(api.POST('/api/calls/{call_id}/walk', { ...path, body: waiting.body }))
    case 'typed':
      return ask(api.POST('/api/calls/{call_id}/walk/typed', { ...path, body: waiting.body }))
    case 'scan':
      return ask(api.POST('/api/calls/{call_id}/scan/keep', { ...path, body: waiting.body }))
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

/** What was measured and has not arrived yet: it waits in this browser and is sent until it was stored, or refused for
 * good with a reason that is shown. Each has a key of its own in the browser's store, so that two tabs never write over
 * each other's, and what arrived although its answer was lost is kept once. */
class WaitingReadings {
  list = $state<Waiting[]>(load())
  /** Why the last attempt did not get through; empty when it did. */
  held = $state('')
  /** What was refused for good, until somebody has seen it. */
  refused = $state<{ waiting: Waiting; why: string }[]>([])
  private sending = false
  private failures = 0
  private timer: ReturnType<typeof setTimeout> | undefined

  constructor() {
    addEventListener('online', () => void this.send())
  }

  add(callId: number, delivery: Delivery, taken: (call: Call) => void) {
    const waiting: Waiting = { id: newKey(), callId, ...delivery }
    try {
      localStorage.setItem(STORE + waiting.id, JSON.stringify(waiting))
    } catch {
      this.held = 'This browser has no room left: do not close the page before all has arrived.'
    }
    this.list.push(waiting)
    return this.send(taken)
  }

  of(callId: number) {
    return this.list.filter((w) => w.callId === callId)
  }

  refusedOf(callId: number) {
    return this.refused.filter((r) => r.waiting.callId === callId)
  }

  /** Somebody has read why it was refused. */
  forget(id: string) {
    this.refused = this.refused.filter((r) => r.waiting.id !== id)
  }

  async send(taken: (call: Call) => void = () => {}) {
    if (this.sending) return
    this.sending = true
    clearTimeout(this.timer)
    try {
      while (this.list.length) {
        const next = this.list[0]!
        try {
          taken(await inTime(post(next)))
        } catch (error) {
          const failure = error as Failure
          if (outcomeOf(failure.status ?? 0) === 'waits') {
            this.failures += 1
            this.held = failure.message
            break
          }
          this.refused.push({ waiting: next, why: failure.message })
        }
        this.failures = 0
        this.held = ''
        this.list = this.list.filter((w) => w.id !== next.id)
        localStorage.removeItem(STORE + next.id)
      }
    } finally {
      this.sending = false
      if (this.list.length) this.timer = setTimeout(() => void this.send(taken), pauseMs(this.failures))
    }
  }
}

/** An answer that does not come in time is none: what was sent waits, and is sent again. */
function inTime<T>(answer: Promise<T>): Promise<T> {
  const late = new Promise<never>((_, reject) =>
    setTimeout(
      () => reject(Object.assign(new Error('No answer in time: it is sent again.'), { status: 0 })),
      TIMEOUT_MS,
    ),
  )
  return Promise.race([answer, late])
}

function load(): Waiting[] {
  const found: Waiting[] = []
  for (const name of Object.keys(localStorage)
    .filter((k) => k.startsWith(STORE))
    .sort()) {
    try {
      found.push(JSON.parse(localStorage.getItem(name) ?? '') as Waiting)
    } catch {
      localStorage.removeItem(name)
    }
  }
  return found
}

export const waiting = new WaitingReadings()

/** A key that no other delivery has. Works without a secure context, unlike crypto.randomUUID. */
export function newKey(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(12))
  return `${Date.now().toString(36)}-${[...bytes].map((b) => b.toString(16).padStart(2, '0')).join('')}`
}

/** Now, as the job file writes times. The house's clock is the application's; offline the browser's own is all there is. */
export function timestamp(): string {
  // eslint-disable-next-line svelte/prefer-svelte-reactivity -- read once, never watched
  return new Date().toISOString().replace(/\.\d+Z$/, 'Z')
}
