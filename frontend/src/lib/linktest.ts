import type { RunSamples } from './types'

/** One run is bounded by time and by bytes; the application works out what its samples say. */
const WAY_MS = 3000
const IDLE_PINGS = 12
const PING_EVERY_MS = 150
const UP_BYTES = 24 << 20
const KEEP_EVERY_MS = 15

type Sample = [number, number]

async function ping(signal: AbortSignal): Promise<number> {
  const began = performance.now()
  await fetch('/api/link/ping', { cache: 'no-store', signal })
  return performance.now() - began
}

/** Asks again and again while a way is loaded. */
async function pingsUntil(done: () => boolean, signal: AbortSignal): Promise<number[]> {
  const found: number[] = []
  while (!done()) {
    try {
      found.push(await ping(signal))
    } catch (error) {
      if (signal.aborted) throw error
    }
    await new Promise((r) => setTimeout(r, PING_EVERY_MS))
  }
  return found
}

/** Keeps every change that matters: not more often than every 15 ms, and always the last. The last one gives way to the
 * next while it is closer than that to the one before it. */
function keeper() {
  const kept: Sample[] = [[0, 0]]
  const began = performance.now()
  return {
    kept,
    elapsed: () => performance.now() - began,
    add(bytes: number) {
      const at = performance.now() - began
      const last = kept[kept.length - 1]!
      const before = kept[kept.length - 2]
      if (before && last[0] - before[0] < KEEP_EVERY_MS)
        kept[kept.length - 1] = [at, Math.max(bytes, last[1])]
      else kept.push([at, Math.max(bytes, last[1])])
    },
  }
}

async function down(signal: AbortSignal): Promise<Sample[]> {
  const stop = new AbortController()
  const both = AbortSignal.any([signal, stop.signal])
  const keep = keeper()
  const timer = setTimeout(() => stop.abort(), WAY_MS)
  let bytes = 0
  try {
    const answer = await fetch('/api/link/down', { cache: 'no-store', signal: both })
    const reader = answer.body!.getReader()
    for (;;) {
      const { done, value } = await reader.read()
      if (done) break
      bytes += value.byteLength
      keep.add(bytes)
    }
  } catch (error) {
    if (signal.aborted || !stop.signal.aborted) throw error
  } finally {
    clearTimeout(timer)
  }
  keep.add(bytes)
  return keep.kept
}

async function up(signal: AbortSignal): Promise<Sample[]> {
  const noise = new Uint8Array(1 << 16)
  crypto.getRandomValues(noise)
  const body = new Blob(Array.from({ length: UP_BYTES >> 16 }, () => noise))
  const keep = keeper()
  let before = 0
  while (keep.elapsed() < WAY_MS) {
    await new Promise<void>((resolve, reject) => {
      const request = new XMLHttpRequest()
      const left = WAY_MS - keep.elapsed()
      const timer = setTimeout(() => request.abort(), left)
      const cancel = () => request.abort()
      signal.addEventListener('abort', cancel)
      request.open('POST', '/api/link/up')
      request.upload.onprogress = (event) => keep.add(before + event.loaded)
      request.onload = () => {
        before += UP_BYTES
        keep.add(before)
        resolve()
      }
      request.onabort = () => (signal.aborted ? reject(new DOMException('', 'AbortError')) : resolve())
      request.onerror = () => reject(new TypeError('connection'))
      request.onloadend = () => {
        clearTimeout(timer)
        signal.removeEventListener('abort', cancel)
      }
      request.send(body)
    })
  }
  return keep.kept
}

/** One run: latency at rest, then down and up with latency under load. `told` says what goes on, and how far it is. */
export async function runOnce(
  signal: AbortSignal,
  told: (what: string, share: number) => void,
): Promise<RunSamples> {
  told('latency at rest', 0)
  const idle: number[] = []
  for (let i = 0; i < IDLE_PINGS; i++) idle.push(await ping(signal))
  const loaded: number[] = []
  const load = async (what: string, share: number, way: (signal: AbortSignal) => Promise<Sample[]>) => {
    told(what, share)
    let over = false
    const pings = pingsUntil(() => over, signal)
    try {
      return await way(signal)
    } finally {
      over = true
      loaded.push(...(await pings.catch(() => [])))
    }
  }
  const downSamples = await load('to the device', 0.1, down)
  const upSamples = await load('from the device', 0.55, up)
  // The very first answer also opens the connection: it is left out.
  return { down: downSamples, up: upSamples, idle_ms: idle.slice(1), loaded_ms: loaded }
}
