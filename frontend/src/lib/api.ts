import createClient from 'openapi-fetch'
import type { paths } from './api-types'
import type { Call, ErrorBody, Task } from './types'

export const api = createClient<paths>({ baseUrl: '' })

/** A failure as the person sees it. */
export class Failure extends Error {
  constructor(readonly body: ErrorBody) {
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

function failureOf(error: unknown): Failure {
  const body = (error as { error?: ErrorBody } | undefined)?.error
  return new Failure(body?.message ? body : lost)
}

/** The answer's data; throws a Failure that can be shown. */
export async function ask<T>(request: Promise<{ data?: T; error?: unknown }>): Promise<T> {
  let answer: { data?: T; error?: unknown }
  try {
    answer = await request
  } catch (error) {
    if ((error as Error).name === 'AbortError') throw error
    throw new Failure(lost)
  }
  if (answer.error !== undefined) throw failureOf(answer.error)
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
    request.upload.onprogress = (event) => event.lengthComputable && sent(event.loaded / event.total)
    request.onload = () =>
      request.status < 300 ? resolve(request.response as T) : reject(failureOf(request.response))
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
