import type { Call, Job } from './types'

/** A job with what a reply says that differs: whole fields, and single entries of long lists, in the reply's order. */
export function broughtUpToDate(job: Job, reply: Pick<Call, 'job' | 'entries'>): Job {
  const lists = Object.entries(reply.entries).map(([name, { order, changed }]) => {
    const old = job[name as 'scans' | 'traces'] as { id: string }[]
    const known = new Map([...old, ...changed].map((e) => [e.id, e]))
    return [name, order.map((id) => known.get(id))]
  })
  return { ...job, ...reply.job, ...Object.fromEntries(lists) }
}
