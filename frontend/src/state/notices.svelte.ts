import { Failure } from '../lib/api'

/** One line at the foot of the page: what was done, or what went wrong. */
class Notices {
  text = $state('')
  bad = $state(false)

  private timer: ReturnType<typeof setTimeout> | undefined

  say(text: string) {
    this.text = text
    this.bad = false
    // Good news leaves by itself; bad news stays until it is read.
    clearTimeout(this.timer)
    this.timer = setTimeout(() => this.clear(), 7000)
  }

  fail(error: unknown) {
    clearTimeout(this.timer)
    this.text = error instanceof Failure ? error.message : `The page met a fault: ${(error as Error).message}`
    this.bad = true
  }

  clear() {
    this.text = ''
  }
}

export const notices = new Notices()
