// What goes between the page and the service, by the service's own description.
import type { components } from '../../web/src/api/schema.gen'

type Of = components['schemas']
export type Joined = Of['RecordJoined']
export type Test = Of['MethodTest']
export type Job = Of['MethodJob']
export type Run = Of['RecordRun']
export type Reading = Of['RecordReading']
export type Series = Of['RecordSeries']
export type Progress = Of['RecordProgress']
export type Incident = Of['RecordIncident']
export type Directive = Of['RecordDirective']
export type Account = Of['PolicyAccount']
export type Action = Of['PolicyAction']
export type Decision = Of['PolicyDecision']
export type Machine = Of['RecordMachine']
export type Mark = Of['RecordMark']

export interface Sample {
  phase: string
  share: number
  channel?: string
  unit?: string
  value?: number
  beat?: Record<string, number>
}

export interface Outcome {
  observed: Record<string, string>
  negotiated: Record<string, string>
  readings: Reading[]
  series: Series[]
}

/** Refused is an answer that asking again will not change. */
export class Refused extends Error {
  constructor(message: string, readonly status: number) {
    super(message)
  }
}

/** A request to whoever serves this page. It throws Refused, or any other error where there is no connection. */
export async function call<T>(path: string, token: string, body?: unknown, wait = 15000): Promise<T> {
  const end = new AbortController()
  const timer = setTimeout(() => end.abort(), wait)
  try {
    const answer = await fetch(path, {
      method: body === undefined ? 'GET' : 'POST',
      headers: { ...(token ? { Authorization: `Bearer ${token}` } : {}), ...(body === undefined ? {} : { 'Content-Type': 'application/json' }) },
      body: body === undefined ? undefined : JSON.stringify(body),
      signal: end.signal,
      cache: 'no-store',
    })
    const text = await answer.text()
    if (answer.ok) return (text ? JSON.parse(text) : undefined) as T
    let why = text
    try {
      const p = JSON.parse(text) as { detail?: string; errors?: { message: string; location: string }[] }
      why = [p.detail, ...(p.errors ?? []).map((e) => `${e.location}: ${e.message}`)].filter(Boolean).join('; ')
    } catch {
      // not a problem document
    }
    if (answer.status >= 400 && answer.status < 500 && answer.status !== 408 && answer.status !== 429) throw new Refused(why, answer.status)
    throw new Error(why || `the service answered ${answer.status}`)
  } finally {
    clearTimeout(timer)
  }
}

const symbols: Record<string, string> = { 'MiBy/s': 'MiB/s', 'MBy/s': 'MB/s', 'GBy/s': 'GB/s', '{flop}/ns': 'GFLOP/s', '{frame}/s': 'frames/s', '{sample}/us': 'Msamples/s' }
/** symbol is a unit as people read it. */
export function symbol(code: string): string {
  return symbols[code] ?? code.replace(/^\{(.*)\}\/us$/, 'M$1s/s').replace(/^\{(.*)\}\/s$/, '$1s/s').replace(/[{}]/g, '')
}
