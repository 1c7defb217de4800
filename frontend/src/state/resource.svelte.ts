import { notices } from './notices.svelte'

/**
 * An answer of the core that belongs to what is on the screen: asked again when that changes; an answer that comes
 * after a newer question is dropped. Made while a component starts, it ends with it.
 */
export class Resource<T> {
  value = $state.raw<T | null>(null)
  asked = $state(false)

  constructor(fetch: (signal: AbortSignal) => Promise<T>, failed: (error: unknown) => void = notices.fail) {
    $effect(() => {
      const controller = new AbortController()
      const stale = () => controller.signal.aborted
      fetch(controller.signal)
        .then((found) => {
          if (!stale()) this.value = found
        })
        .catch((error) => {
          if (!stale()) failed(error)
        })
        .finally(() => {
          if (!stale()) this.asked = true
        })
      return () => controller.abort()
    })
  }
}
