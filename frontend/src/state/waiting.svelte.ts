import { api, ask, Failure } from '../lib/api'
import type { Call, WalkBody } from '../lib/types'

const STORE = 'even-static-waiting'
const AGAIN_MS = 3000

interface Waiting {
  callId: number
  body: WalkBody
}

/** Readings that wait in the browser until the application answers. Each carries its own key, so that one that was
 *  sent twice, because the answer got lost, is kept once. */
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

  add(callId: number, body: WalkBody, taken: (call: Call) => void) {
    this.list.push({ callId, body })
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
        const { callId, body } = this.list[0]!
        try {
          const call = await ask(
            api.POST('/api/calls/{call_id}/walk', { params: { path: { call_id: callId } }, body }),
          )
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
    return JSON.parse(localStorage.getItem(STORE) ?? '[]') as Waiting[]
  } catch {
    return []
  }
}

export const waiting = new WaitingReadings()

/** A key that no other reading has. Works without a secure context, unlike crypto.randomUUID. */
export function newKey(): string {
  const bytes = crypto.getRandomValues(new Uint8Array(12))
  return `walk-${[...bytes].map((b) => b.toString(16).padStart(2, '0')).join('')}`
}
