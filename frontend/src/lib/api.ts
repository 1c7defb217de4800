import createClient from 'openapi-fetch'
import type { paths } from './api-types'
import type { Call, ErrorBody, Task } from './types'

export const api = createClient<paths>({ baseUrl: '' })

/**
 * The call on the screen and its revision: what the page has of its job since is not sent again. A reply that says
 * `since` holds only the fields that differ from that revision.
 */
export const known = { callId: 0, revision: 0 }
const KNOWS = 'Even-Static-Knows'
const isKnown = (path: string) => new RegExp(`/api/calls/${known.callId}(/|$)`).test(path)

api.use({
  onRequest({ request }) {
    if (known.revision && isKnown(new URL(request.url).pathname))
      request.headers.set(KNOWS, String(known.revision))
    return request
  },
})

/** A failure as the person sees it; status 0 where no answer came. */
export class Failure extends Error {
  constructor(
    readonly body: ErrorBody,
    readonly status = 0,
  ) {
    super(body.message)
  }
}

const lost: ErrorBody = {
  field: 'connection',
  rule: 'Even Static does not answer: is it still running?',
  received: '',
  accepted: '',
  message: 'Even Static does not answer: is it still running? Nothing stored is lost.',
}

const unpaired: ErrorBody = {
  ...lost,
  rule: 'This phone is not paired any more',
  message: 'This phone is not paired any more: open the page anew and type the code. Nothing here is lost.',
}

function failureOf(error: unknown, status = 0): Failure {
  const body = (error as { error?: ErrorBody } | undefined)?.error
  return new Failure(body?.message ? body : status === 401 ? unpaired : lost, status)
}

export interface Answer<T> {
  data?: T
  error?: unknown
  response?: Response
}

/** The answer's data; throws a Failure that can be shown. */
export async function ask<T>(request: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await request
  } catch (error) {
    if ((error as Error).name === 'AbortError') throw error
    throw new Failure(lost)
  }
  if (answer.error !== undefined) throw failureOf(answer.error, answer.response?.status)
  return answer.data as T
}

/** Send a file as the body of a request, telling how much of it is sent. */
export function sendFile<T extends Call | Task>(
  path: string,
  file: Blob,
  sent: (fraction: number) => void,
): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest()
    request.open('POST', path)
    request.responseType = 'json'
    if (known.revision && isKnown(path)) request.setRequestHeader(KNOWS, String(known.revision))
    request.upload.onprogress = (event) => event.lengthComputable && sent(event.loaded / event.total)
    request.onload = () =>
      request.status < 300
        ? resolve(request.response as T)
        : reject(failureOf(request.response, request.status))
    request.onerror = () => reject(new Failure(lost))
    request.send(file)
  })
}

/** Follow a task until it ends; throws its failure. */
export async function follow(task: Task, seen: (task: Task) => void): Promise<Task> {
  let now = task
  for (;;) {
    seen(now)
    if (now.state === 'failed') throw new Failure(now.error ?? lost)
    if (now.state === 'done') return now
    await new Promise((resolve) => setTimeout(resolve, 120))
    now = await ask(api.GET('/api/tasks/{task_id}', { params: { path: { task_id: now.id } } }))
  }
}
