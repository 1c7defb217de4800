import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { runOnce } from './linktest'

/** A link that carries so many bytes a millisecond each way and answers after so many; time is the test's. */
function aLink({ downPerMs, upPerMs, answersMs }: { downPerMs: number; upPerMs: number; answersMs: number }) {
  const wait = (ms: number, signal?: AbortSignal) =>
    new Promise<void>((resolve, reject) => {
      const timer = setTimeout(resolve, ms)
      signal?.addEventListener('abort', () => {
        clearTimeout(timer)
        reject(new DOMException('', 'AbortError'))
      })
    })
  vi.stubGlobal('fetch', async (path: string, { signal }: { signal: AbortSignal }) => {
    await wait(answersMs, signal)
    if (path.endsWith('ping')) return {}
    const read = async () => {
      await wait(10, signal)
      return { done: false, value: new Uint8Array(downPerMs * 10) }
    }
    return { body: { getReader: () => ({ read }) } }
  })
  class Sending {
    upload: { onprogress?: (event: { loaded: number }) => void } = {}
    onload?: () => void
    onabort?: () => void
    onloadend?: () => void
    private timer?: ReturnType<typeof setInterval>
    open() {}
    send(body: Blob) {
      let loaded = 0
      this.timer = setInterval(() => {
        loaded = Math.min(body.size, loaded + upPerMs * 10)
        this.upload.onprogress?.({ loaded })
        if (loaded === body.size) this.end(this.onload)
      }, 10)
    }
    abort() {
      this.end(this.onabort)
    }
    private end(how?: () => void) {
      clearInterval(this.timer)
      how?.()
      this.onloadend?.()
    }
  }
  vi.stubGlobal('XMLHttpRequest', Sending)
}

describe('a run of the link test', () => {
  beforeEach(() => {
    vi.useFakeTimers({
      toFake: ['setTimeout', 'clearTimeout', 'setInterval', 'clearInterval', 'performance'],
    })
  })
  afterEach(() => {
    vi.useRealTimers()
    vi.unstubAllGlobals()
  })
  const rate = (samples: number[][]) => samples.at(-1)![1]! / samples.at(-1)![0]!

  it('keeps bytes and times that give the rates of the link, and its latency', async () => {
    aLink({ downPerMs: 9000, upPerMs: 3000, answersMs: 7 })
    const told: string[] = []
    const run = runOnce(new AbortController().signal, (what) => told.push(what))
    await vi.advanceTimersByTimeAsync(10_000)
    const found = await run
    expect(rate(found.down)).toBeGreaterThan(9000 * 0.97)
    expect(rate(found.down)).toBeLessThanOrEqual(9000)
    expect(rate(found.up)).toBeGreaterThan(3000 * 0.97)
    expect(rate(found.up)).toBeLessThanOrEqual(3000)
    expect(found.down.at(-1)![0]).toBeCloseTo(3000, -2)
    expect(told).toEqual(['latency at rest', 'to the device', 'from the device'])
    // Twelve are asked for; the first also opens the connection.
    expect(found.idle_ms).toHaveLength(11)
    expect(found.idle_ms.every((ms) => Math.abs(ms - 7) < 0.01)).toBe(true)
    expect(found.loaded_ms.length).toBeGreaterThan(20)
  })

  it('never goes back, and keeps no more samples than are of use', async () => {
    aLink({ downPerMs: 9000, upPerMs: 3000, answersMs: 7 })
    const run = runOnce(new AbortController().signal, () => {})
    await vi.advanceTimersByTimeAsync(10_000)
    for (const samples of [(await run).down, (await run).up]) {
      expect(samples.length).toBeLessThan(3000 / 15 + 5)
      for (let i = 1; i < samples.length; i++) {
        expect(samples[i]![0]).toBeGreaterThanOrEqual(samples[i - 1]![0]!)
        expect(samples[i]![1]).toBeGreaterThanOrEqual(samples[i - 1]![1]!)
      }
    }
  })

  it('ends when it is stopped', async () => {
    aLink({ downPerMs: 9000, upPerMs: 3000, answersMs: 7 })
    const stop = new AbortController()
    const run = runOnce(stop.signal, () => {})
    const ended = expect(run).rejects.toThrow()
    await vi.advanceTimersByTimeAsync(1500)
    stop.abort()
    await vi.advanceTimersByTimeAsync(1000)
    await ended
  })
})
